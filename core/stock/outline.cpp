// SPDX-License-Identifier: GPL-3.0-or-later
// Solids of a drawn outline: moved straight up, turned about an axis, or led along a helix.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/mesh/planar_region.h"
#include "core/stock/kinds.h"

namespace anvil {
namespace {

/// What an outline encloses, its first coordinate moved by `shift`; loops within loops are holes.
PlanarRegion region_of(const FieldReader& fields, double shift = 0) {
  std::vector<Loop2> loops = flattened(*parse_outline(fields.text("outline")), fields.number("flatness"));
  for (Loop2& loop : loops)
    for (Vec2& p : loop) p.x() += shift;
  return planar_region(loops, Inside::odd);
}

Vec2 turned(double angle) {
  // Exact at the quarter turns.
  const double quarters = angle / (std::numbers::pi / 2);
  if (quarters == std::floor(quarters)) {
    const int k = static_cast<int>(std::fmod(quarters, 4.0) + 4) % 4;
    return {k == 0 ? 1 : k == 2 ? -1 : 0, k == 1 ? 1 : k == 3 ? -1 : 0};
  }
  return {std::cos(angle), std::sin(angle)};
}

/// A region with the axis as its second coordinate, led around it. Points on the axis stay one point.
/// @param rise  per turn; a full circle without rise closes
Mesh led_around(const PlanarRegion& region, double turns, double rise, Index sides_per_turn) {
  const auto steps = static_cast<Index>(std::max(1.0, std::ceil(turns * sides_per_turn - 1e-9)));
  const bool closes = rise == 0 && turns == 1;
  const Index rings = closes ? steps : steps + 1;
  Mesh mesh;
  std::vector<std::vector<Index>> at(rings);
  for (Index j = 0; j < rings; ++j) {
    const double share = static_cast<double>(j) / steps;
    const Vec2 around = turned(2 * std::numbers::pi * turns * share);
    for (Index p = 0; p < region.points.size(); ++p) {
      const Vec2& q = region.points[p];
      at[j].push_back(j > 0 && rise == 0 && q.x() == 0 ? at[0][p] : mesh.add_vertex({q.x() * around.x(), q.x() * around.y(), q.y() + rise * turns * share}));
    }
  }
  const auto add = [&](std::initializer_list<Index> ring) {
    std::vector<Index> face;
    for (Index v : ring)
      if (face.empty() || (face.back() != v && face.front() != v)) face.push_back(v);
    if (face.size() > 2) mesh.add_face(face);
  };
  for (Index j = 0; j < steps; ++j) {
    const std::vector<Index>&here = at[j], &next = at[(j + 1) % rings];
    for (const auto& [from, to] : region.boundary) {
      const bool is_flat = rise == 0;
      if (is_flat) {
        add({here[to], here[from], next[from], next[to]});
      } else {
        add({here[to], here[from], next[from]});
        add({here[to], next[from], next[to]});
      }
    }
  }
  if (closes) return mesh;
  for (std::vector<Index> ring : region.faces) {
    std::vector<Index> first, last;
    for (Index p : ring) first.push_back(at.front()[p]), last.push_back(at.back()[p]);
    std::reverse(last.begin(), last.end());
    mesh.add_face(first);
    mesh.add_face(last);
  }
  return mesh;
}

Result<Mesh> make_outline(const FieldReader& fields) {
  if (fields.text("how") == "turned") return led_around(region_of(fields), fields.number("angle") / 360, 0, fields.count("sides"));
  return prism(region_of(fields), {}, 0, fields.number("height"));
}

std::optional<Issue> encloses_nothing(const PlanarRegion& region) {
  if (!region.empty()) return std::nullopt;
  return Issue{"the outline encloses nothing", "", {}, "draw it with some width"};
}

std::optional<Issue> check_outline(const FieldReader& fields) {
  const PlanarRegion region = region_of(fields);
  if (auto issue = encloses_nothing(region)) return issue;
  if (fields.text("how") != "turned") return std::nullopt;
  if (auto issue = too_many_faces(static_cast<double>(region.boundary.size()) * fields.number("sides"), "Sides, or a larger Flatness")) return issue;
  for (const Vec2& p : region.points)
    if (p.x() < 0) return Issue{fmt::format("the outline reaches across the axis, to {:.6g}", p.x()), "", {}, "keep it where the first number is 0 or more"};
  return std::nullopt;
}

Result<Mesh> make_helix(const FieldReader& fields) {
  Mesh mesh = led_around(region_of(fields, fields.number("diameter") / 2), fields.number("turns"), fields.number("pitch"), fields.count("sides"));
  if (fields.text("hand") == "left") {
    for (Vec3& p : mesh.positions) p.x() = -p.x();
    reverse_faces(mesh);
  }
  return mesh;
}

std::optional<Issue> check_helix(const FieldReader& fields) {
  const PlanarRegion region = region_of(fields, fields.number("diameter") / 2);
  if (auto issue = encloses_nothing(region)) return issue;
  if (auto issue = too_many_faces(2 * static_cast<double>(region.boundary.size()) * fields.number("turns") * fields.number("sides"), "Turns or Sides, or a larger Flatness")) return issue;
  double low = 1e300, high = -1e300, inner = 1e300;
  for (const Vec2& p : region.points) low = std::min(low, p.y()), high = std::max(high, p.y()), inner = std::min(inner, p.x());
  if (inner <= 0) return Issue{"the section reaches across the axis", "", {}, "choose a larger diameter or a smaller section"};
  if (fields.number("turns") > 1 && fields.number("pitch") <= high - low)
    return Issue{fmt::format("the section is {:.6g} mm high and would run into the next turn", high - low), "", {}, "choose a larger pitch"};
  return std::nullopt;
}

Field outline_of(const char* initial, const char* help) { return outline_field("outline", "Outline", initial, help); }
Field flatness() { return folded(length_field("flatness", "Flatness", 0.02, "How far a flat piece may lie off its arc.")); }
Field sides() { return folded(count_field("sides", "Sides", 64, 3, 2048, "How many flat sides stand for a full turn.")); }

}  // namespace

StockKind outline_kind() {
  return {"outline", "Outline", "outline", "A drawn outline, moved straight up or turned about an axis.",
          {outline_of("0,0 40,0 40,20~-6 0,20", "Its points; the axis to turn it about is where the first number is 0."),
           choice_field("how", "How", "extruded", {{"extruded", "straight up"}, {"turned", "turned about its axis"}}, "How the outline becomes a solid."),
           length_field("height", "Height", 10, "How far up it is moved."), angle_field("angle", "Angle", 360, "How far around it is turned.", 0.1, 360), sides(), flatness()},
          make_outline, check_outline};
}

StockKind helix_kind() {
  return {"helix", "Helix", "helix", "A section led around an axis while it rises: a spring, a screw, a groove.",
          {outline_of("2,0~0.8284271247461901 0,2~0.8284271247461901 -2,0~0.8284271247461901 0,-2~0.8284271247461901", "The section: outwards, upwards."),
           length_field("diameter", "Diameter", 30, "Of the circle that the section's origin goes around."),
           length_field("pitch", "Pitch", 6, "How far it rises in a turn."), share_field("turns", "Turns", 4, 0.01, 1000, "How often it goes around."),
           choice_field("hand", "Hand", "right", {{"right", "right"}, {"left", "left"}}, "Which way it rises."), sides(), flatness()},
          make_helix, check_helix};
}

}  // namespace anvil
