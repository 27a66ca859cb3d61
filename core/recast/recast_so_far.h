// SPDX-License-Identifier: GPL-3.0-or-later
// A recast on its way from the skin to the result.
#pragma once

#include "core/boolean/combine.h"
#include "core/mesh/sub_mesh.h"

namespace anvil::recast {

struct Recast {
  BooleanResult result;
  std::vector<char> spanned;  ///< per face: it lies on no part
};

/// Of a recast, only these faces of it.
class Kept {
 public:
  explicit Kept(Recast& made) : made_(made) {}
  void add(const SubMesh& sub) {
    append_piece(mesh_, sub.mesh);
    for (Index f : sub.faces) sources_.add(made_.result.sources.input[f], made_.result.sources.face[f]), spanned_.push_back(made_.spanned[f]);
  }
  void take() {
    made_.result.mesh = std::move(mesh_);
    made_.result.sources = std::move(sources_);
    made_.spanned = std::move(spanned_);
  }

 private:
  Recast& made_;
  Mesh mesh_;
  FaceSources sources_;
  std::vector<char> spanned_;
};

}  // namespace anvil::recast
