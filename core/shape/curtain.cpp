// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/curtain.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/mesh/edge_rule.h"
#include "core/shape/half_space.h"
#include "core/turn.h"

namespace anvil {
namespace {

void add_sheet(Mesh& mesh, const Vec3& a, const Vec3& b, const Vec3& way, double low, double high) {
  const auto at = [&](const Vec3& p, double depth) { return mesh.add_vertex(p + (depth - p.dot(way)) * way); };
  const Index p = at(a, low), q = at(b, low), r = at(b, high), s = at(a, high);
  mesh.add_face({p, q, r, s});
}

}  // namespace

Mesh curtain(const Box3& box, std::span<const LinePiece> lines, const Vec3& direction) {
  const Vec3 way = direction.stableNormalized();
  double low = 1e300, high = -1e300;
  for (int k = 0; k < 8; ++k) {
    const Vec3 corner(k & 1 ? box.hi.x() : box.lo.x(), k & 2 ? box.hi.y() : box.lo.y(), k & 4 ? box.hi.z() : box.lo.z());
    low = std::min(low, corner.dot(way));
    high = std::max(high, corner.dot(way));
  }
  const double beyond = 0.0213 * box.diagonal();
  Mesh sheet;
  for (const auto& [a, b] : lines_across(lines, way, box.diagonal())) add_sheet(sheet, a, b, way, low - beyond, high + beyond);
  return sheet;
}

Result<BooleanResult> throw_lines(const Workpiece& part, std::span<const LinePiece> lines, const ThrowSettings& settings, const Control& control) {
  Mesh sheet = settings.through && settings.faces.empty() ? curtain(bounds(*part.mesh), lines, settings.direction)
                                                           : drape(*part.mesh, lines, settings.direction, settings.faces, !settings.through, control);
  if (sheet.empty()) return Issue{settings.faces.empty() ? "no line meets it from that direction" : "no line meets the chosen faces from that direction", part.name, {}, "turn the direction, or move the lines over the part"};
  return combine_with_made(part, {{std::move(sheet), Operation::score, "the lines"}}, control);
}

Result<std::vector<LinePiece>> grid_lines(const Box3& part, const Vec3& origin, const Vec3& direction, double spacing, double degrees) {
  const HalfSpace plane(origin, direction);
  const Vec3 u = turn_about(Vec3::Zero(), plane.normal(), degrees).linear() * plane.u(), v = plane.normal().cross(u);
  const double reach = part.diagonal() / 2 + 0.02 * part.diagonal();
  const Vec3 centre = plane.projected(part.centre());
  constexpr double max_lines = 1000;
  if (2 * reach / spacing > max_lines) return Issue{fmt::format("would be {:.0f} lines each way", 2 * reach / spacing), "", {}, "choose a wider spacing"};
  std::vector<LinePiece> lines;
  for (const auto& [along, across] : {std::pair(u, v), std::pair(v, u)}) {
    const double middle = (centre - origin).dot(across);
    for (double k = std::ceil((middle - reach) / spacing); k * spacing <= middle + reach; ++k) {
      const Vec3 at = origin + k * spacing * across + (centre - origin).dot(along) * along;
      lines.push_back({at - reach * along, at + reach * along});
    }
  }
  return lines;
}

std::vector<LinePiece> edge_lines(const Mesh& mesh, const Affine& placement, double degrees) {
  const EdgeTable edges = build_edges(mesh);
  std::vector<LinePiece> lines;
  const auto add = [&](Index e) { lines.push_back({placement * mesh.positions[edges.vertices[e][0]], placement * mesh.positions[edges.vertices[e][1]]}); };
  for (Index e : edges_by_rule(mesh, edges, {EdgeRule::By::sharp, degrees}, {})) add(e);
  for (Index e = 0; e < edges.size(); ++e)
    if (edges.corners_of(e).size() == 1) add(e);
  return lines;
}

std::vector<LinePiece> loop_lines(const std::vector<Loop2>& loops, const PlaneFrame& frame) {
  std::vector<LinePiece> lines;
  for (const Loop2& loop : loops)
    for (std::size_t k = 0; k < loop.size(); ++k) lines.push_back({frame.at(loop[k]), frame.at(loop[(k + 1) % loop.size()])});
  return lines;
}

}  // namespace anvil
