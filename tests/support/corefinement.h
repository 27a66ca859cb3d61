// SPDX-License-Identifier: GPL-3.0-or-later
// CGAL's corefinement as the referee of the Boolean engine and its peer in the benchmark.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "core/mesh/mesh.h"

namespace anvil::test {

/// Its own word for the operation: this takes minutes to compile and must not depend on the engine's header.
enum class CgalOperation { unite, difference, intersection };

/// A mesh in CGAL's form, built ahead so that its building is not timed.
class CgalSolid {
 public:
  explicit CgalSolid(const Mesh& mesh);
  CgalSolid(const CgalSolid&);
  ~CgalSolid();

  /// Replaces this by the result. @return false when CGAL finds the result not manifold
  bool combine(CgalSolid& tool, CgalOperation operation);
  std::size_t faces() const;
  Mesh mesh() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// What the command line does for `combine --op difference`, with CGAL alone: reads two STL files, merges equal points, finds out
/// whether each crosses itself, subtracts, looks whether the result crosses itself, and writes it.
/// @return false when something crosses itself or the result is not manifold. Throws std::runtime_error
bool cgal_subtract_files(const std::string& part, const std::string& tool, const std::string& result);

}  // namespace anvil::test
