// SPDX-License-Identifier: GPL-3.0-or-later
// Results combined again with what made them: where flush faces meet once more after each of them has been rounded.
#pragma once

#include <string>
#include <vector>

#include "core/mesh/mesh.h"

namespace anvil::test {

/// A part and two to six tools: boxes, prisms, cylinders, spheres and tori on a coarse grid, some turned by multiples of
/// 15 degrees about an axis, all over each other.
struct Chain {
  Mesh part;
  std::vector<Mesh> tools;
};
Chain random_chain(unsigned seed);

/// The thickness of the thinnest shell where that is thickest; infinity for an empty mesh. Twice the volume over the area is its
/// mean, of which a splinter that tapers to a tip has three times as much at its thick end. Shells are what hangs together over
/// vertices.
double thinnest_shell(const Mesh& mesh);
std::size_t shell_count(const Mesh& mesh);

/// Faces whose middle has a face looking the other way nearer than `tolerance`: behind it, a flap on a thicker body; before it, a
/// groove. Faces nowhere four times as wide as the tolerance are not asked, nor are faces at a corner of the one asked.
struct Folds {
  std::size_t flaps = 0, grooves = 0;
};
Folds folds(const Mesh& mesh, double tolerance);

/// What has been seen of them in all chains of this process.
struct FoldsSeen {
  std::size_t results = 0, with_flaps = 0, with_grooves = 0;
};
const FoldsSeen& folds_seen();

/// With R = A − T1 − … − Tn: A − T1 − … − Tn − R is empty; R ∪ R, R ∩ A, R − T are R; A ∩ (A − T) is A − T; (A − T) ∪
/// (A ∩ T) is A; R split by R is R; R less R turned k times by 360/k degrees is empty, and so on for results of those.
/// Nothing has a shell thinner than the contact tolerance, and every result is sound for CGAL.
/// @return "" when all holds
std::string what_is_wrong_with_chain(unsigned seed);

}  // namespace anvil::test
