// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/curtain.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/mesh/bvh.h"
#include "core/mesh/edge_rule.h"
#include "core/mesh/triangulate.h"
#include "core/shape/half_space.h"
#include "core/turn.h"

namespace anvil {
namespace {

/// How far along a direction lines of sight first meet a mesh.
class Sights {
 public:
  Sights(const Mesh& mesh, const Vec3& way) : mesh_(mesh), way_(way), list_(triangulate(mesh)), tree_(mesh.positions, list_.triangles), before_(2 * bounds(mesh).diagonal()) {}
  /// Measured from the origin; nothing where the line misses.
  std::optional<double> first(const Vec3& p) const {
    const double from = centre_.dot(way_) - before_;
    const Vec3 start = p + (from - p.dot(way_)) * way_;
    const auto hit = tree_.nearest_hit(mesh_.positions, list_.triangles, start, way_);
    return hit ? std::optional(from + hit->distance) : std::nullopt;
  }

 private:
  const Mesh& mesh_;
  Vec3 way_;
  TriangleList list_;
  Bvh tree_;
  double before_;
  Vec3 centre_ = bounds(mesh_).centre();
};

void add_sheet(Mesh& mesh, const Vec3& a, const Vec3& b, const Vec3& way, double low, double high) {
  const auto at = [&](const Vec3& p, double depth) { return mesh.add_vertex(p + (depth - p.dot(way)) * way); };
  const Index p = at(a, low), q = at(b, low), r = at(b, high), s = at(a, high);
  mesh.add_face({p, q, r, s});
}

}  // namespace

Mesh curtain(const Mesh& part, std::span<const LinePiece> lines, const ThrowSettings& settings) {
  const Vec3 way = settings.direction.stableNormalized();
  const Box3 box = bounds(part);
  double low = 1e300, high = -1e300;
  for (int k = 0; k < 8; ++k) {
    const Vec3 corner(k & 1 ? box.hi.x() : box.lo.x(), k & 2 ? box.hi.y() : box.lo.y(), k & 4 ? box.hi.z() : box.lo.z());
    low = std::min(low, corner.dot(way));
    high = std::max(high, corner.dot(way));
  }
  const double beyond = 0.0213 * box.diagonal();
  Mesh sheet;
  std::optional<Sights> sights;
  std::set<std::pair<std::array<double, 3>, std::array<double, 3>>> swept;
  if (!settings.through) sights.emplace(part, way);
  for (const auto& [a, b] : lines) {
    const Vec3 along = b - a, across = along - along.dot(way) * way;
    if (across.norm() <= 1e-12 * box.diagonal()) continue;
    // Lines that lie behind each other, as the two rims of a bar, sweep over one sheet.
    const auto flat = [&](const Vec3& p) {
      const Vec3 q = (p - p.dot(way) * way) / (1e-9 * box.diagonal());
      return std::array<double, 3>{std::round(q.x()), std::round(q.y()), std::round(q.z())};
    };
    const auto from_a = flat(a), from_b = flat(b);
    const auto& [least, most] = std::minmax(from_a, from_b);
    if (!swept.emplace(least, most).second) continue;
    if (settings.through) {
      add_sheet(sheet, a, b, way, low - beyond, high + beyond);
      continue;
    }
    // As far as the first faces lie, piece by piece; what steps down to another one within a piece is taken along.
    const auto pieces = static_cast<int>(std::clamp(std::ceil(across.norm() / (0.01 * box.diagonal())), 1.0, 2000.0));
    for (int k = 0; k < pieces; ++k) {
      const Vec3 p = a + along * (static_cast<double>(k) / pieces), q = a + along * (static_cast<double>(k + 1) / pieces);
      std::optional<double> from, to;
      for (int j = 0; j <= 4; ++j)
        if (const auto hit = sights->first(p + (q - p) * (j / 4.0))) from = std::min(from.value_or(*hit), *hit), to = std::max(to.value_or(*hit), *hit);
      if (!from) continue;
      const double margin = 2e-3 * box.diagonal();
      add_sheet(sheet, p, q, way, *from - margin, *to + margin);
    }
  }
  return sheet;
}

Result<BooleanResult> throw_lines(const Workpiece& part, std::span<const LinePiece> lines, const ThrowSettings& settings, const Control& control) {
  Mesh sheet = curtain(*part.mesh, lines, settings);
  if (sheet.empty()) return Issue{"no line meets it from that direction", part.name, {}, "turn the direction, or move the lines over the part"};
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
