// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/settle_shells.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>
#include <utility>

#include "core/mesh/broad_phase.h"
#include "core/mesh/winding.h"
#include "core/recast/shell_volumes.h"

namespace anvil::recast {
namespace {

/// Per shell: does it look inwards where it is within an even number of others, or outwards where within an odd one?
std::vector<char> turned_shells(const Contour& contour, const ShellVolumes& shells, const std::vector<double>& volume) {
  std::vector<std::vector<Triangle>> own(shells.count());
  for (const Triangle& t : contour.triangles) own[shells.shell_of(t[0])].push_back(t);
  std::vector<Box3> boxes(shells.count());
  for (Index v = 0; v < contour.positions.size(); ++v) boxes[shells.shell_of(v)].add(contour.positions[v]);
  std::vector<Index> order(shells.count());
  std::iota(order.begin(), order.end(), Index{0});
  std::sort(order.begin(), order.end(), [&](Index s, Index o) { return std::abs(volume[s]) > std::abs(volume[o]); });
  std::optional<WindingTree> largest;  // it is asked about most
  std::vector<char> turned(shells.count(), 0);
  for (std::size_t k = 0; k < order.size(); ++k) {
    const Index s = order[k];
    const Vec3& p = contour.positions[own[s][0][0]];
    bool within = false;
    for (std::size_t j = 0; j < k; ++j) {
      if (!overlap(boxes[order[j]], {p, p})) continue;
      if (j == 0 && !largest) largest.emplace(contour.positions, own[order[0]]);
      if (std::abs(j == 0 ? (*largest)(p) : winding_number(contour.positions, own[order[j]], p)) > 0.5) within = !within;
    }
    turned[s] = (volume[s] < 0) != within;
  }
  return turned;
}

}  // namespace

void settle_shells(Contour& contour, double detail) {
  constexpr double nothing = 1e-12;  // details: how thick it is on average
  ShellVolumes shells(contour.positions.size(), contour.triangles);
  std::vector<double> volume = shells.at(contour.positions, contour.triangles), area(shells.count(), 0);
  for (const auto& [a, b, c] : contour.triangles) area[shells.shell_of(a)] += (contour.positions[b] - contour.positions[a]).cross(contour.positions[c] - contour.positions[a]).norm() / 2;
  std::vector<char> is_flat(shells.count());
  for (Index s = 0; s < shells.count(); ++s) is_flat[s] = std::abs(volume[s]) <= nothing * detail * area[s];
  if (std::find(is_flat.begin(), is_flat.end(), 1) != is_flat.end()) {
    for (Triangle& t : contour.triangles)
      if (is_flat[shells.shell_of(t[0])]) t = {no_index, no_index, no_index};
    drop_gone(contour);
    shells = ShellVolumes(contour.positions.size(), contour.triangles);
    volume = shells.at(contour.positions, contour.triangles);
  }
  if (shells.count() == 1 && volume[0] > 0) return;
  const std::vector<char> turned = turned_shells(contour, shells, volume);
  for (Triangle& t : contour.triangles)
    if (turned[shells.shell_of(t[0])]) std::swap(t[1], t[2]);
}

}  // namespace anvil::recast
