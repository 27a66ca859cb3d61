// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/comparison.h"

#include "core/mesh/boundary.h"

namespace anvil {

Numbers numbers_of(const Mesh& mesh) { return {mesh.corners.size() - 2 * mesh.face_count(), signed_volume(mesh), surface_area(mesh), is_closed(mesh)}; }

Comparison compare(const Mesh& before, const Mesh& after, const std::stop_token& stop) {
  Comparison comparison;
  comparison.numbers_before = numbers_of(before);
  comparison.numbers_after = numbers_of(after);
  comparison.deviation = deviation_between(before, after, stop);
  comparison.deviation.from_old.at_vertex = {};
  comparison.deviation.from_old.in_triangle = {};
  return comparison;
}

}  // namespace anvil
