// SPDX-License-Identifier: GPL-3.0-or-later
// Stock, and what is combined of it.
#pragma once

#include <stdexcept>

#include "core/boolean/combine.h"
#include "core/stock/primitive.h"

namespace anvil::bench {

using Shared = std::shared_ptr<const Mesh>;

inline Shared shared(Mesh mesh) { return std::make_shared<const Mesh>(std::move(mesh)); }
inline Mesh stock(const char* kind, std::initializer_list<double> values) { return *make_mesh(Primitive::of(kind, values)); }
/// Known to cross itself nowhere.
inline Operand operand(const Shared& mesh, Operation operation, const Vec3& at = Vec3::Zero()) { return {mesh, "part", operation, Affine(Eigen::Translation3d(at)), true}; }

/// Throws where nothing comes of it.
inline BooleanResult combined(const std::vector<Operand>& operands) {
  Result<BooleanResult> result = combine(operands);
  if (!result || result->mesh.empty()) throw std::runtime_error("the combination failed");
  return std::move(*result);
}

}  // namespace anvil::bench
