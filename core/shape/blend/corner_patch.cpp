// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/corner_patch.h"

#include <algorithm>
#include <numbers>

#include "core/shape/blend/ringed_disc.h"
#include "core/shape/blend/round_patch.h"

namespace anvil {
namespace {

constexpr double lead_faces = 1.4;      // per segment of the border
constexpr double tangent_within = 0.05;  // sine, beside what a row's own turn makes of it

/// The line around a cell: outlines of strips from right to left, and sectors between.
std::vector<Index> border(const StripLayout& layout, Index cell) {
  std::vector<Index> loop;
  for (Index h : layout.ends().task().graph.cells[cell].out) {
    if (!layout.ends().is_finished(h)) continue;
    loop.insert(loop.end(), layout.profile[h].rbegin(), layout.profile[h].rend());
    loop.insert(loop.end(), layout.sector[h].rbegin(), layout.sector[h].rend());
  }
  // There and back again is nothing.
  std::vector<Index> open;
  for (Index p : loop) {
    if (!open.empty() && open.back() == p) continue;
    if (open.size() > 1 && open[open.size() - 2] == p) open.pop_back();
    else open.push_back(p);
  }
  std::size_t begin = 0, end = open.size();
  while (end - begin > 2) {
    if (open[begin] == open[end - 1]) --end;
    else if (open[begin + 1] == open[end - 1]) ++begin, --end;
    else if (open[begin] == open[end - 2]) end -= 2;
    else break;
  }
  return {open.begin() + static_cast<std::ptrdiff_t>(begin), open.begin() + static_cast<std::ptrdiff_t>(end)};
}

/// Do the rows of a lead leave the strips of all three edges in the direction in which these come in? They do where the odd edge stands across the two others, or is slight beside them.
bool is_tangent(const StripLayout& layout, Index cell) {
  const StripLayout::Lead& lead = layout.led_over.at(cell);
  const auto& out = layout.ends().task().graph.cells[cell].out;
  const auto odd = static_cast<std::size_t>(std::find(out.begin(), out.end(), lead.odd) - out.begin());
  const std::size_t m = lead.rows.size() - 1;
  const double within = tangent_within + std::numbers::pi / 4 / static_cast<double>(m);
  // Of a strip: along its border, from one place to the next, and on from there.
  const auto leaves = [&](Index half, const Vec3& from, const Vec3& to, const Vec3& on, const Vec3& next_on) {
    const Vec3 normal = layout.ends().way(half).cross(to - from), ahead = (on + next_on - from - to) / 2;
    return std::abs(normal.dot(ahead)) > within * normal.norm() * ahead.norm();
  };
  for (std::size_t k = 0; k < m; ++k) {
    const auto& rows = lead.rows;
    if (leaves(lead.odd, rows[k][0], rows[k + 1][0], rows[k][1], rows[k + 1][1])) return false;
    if (leaves(out[(odd + 1) % 3], rows[0][k], rows[0][k + 1], rows[1][k], rows[1][k + 1])) return false;
    if (leaves(out[(odd + 2) % 3], rows[m][k], rows[m][k + 1], rows[m - 1][k], rows[m - 1][k + 1])) return false;
  }
  return true;
}

/// Between three outlines and the trim line where one round runs on over another: points of the lead.
std::vector<std::vector<Index>> led_over_patch(StripLayout& layout, Index cell) {
  const StripLayout::Lead& lead = layout.led_over.at(cell);
  const auto& out = layout.ends().task().graph.cells[cell].out;
  const auto odd = static_cast<std::size_t>(std::find(out.begin(), out.end(), lead.odd) - out.begin());
  const Index a = out[(odd + 1) % 3], b = out[(odd + 2) % 3];
  const auto& rows = lead.rows;
  const auto last = static_cast<double>(rows.size() - 1);
  const auto at = [&](double x, double y) -> Vec3 {
    const auto j = std::min(static_cast<std::size_t>(x * last), rows.size() - 2), k = std::min(static_cast<std::size_t>(y * last), rows.size() - 2);
    const double s = x * last - static_cast<double>(j), t = y * last - static_cast<double>(k);
    return (1 - s) * ((1 - t) * rows[j][k] + t * rows[j][k + 1]) + s * ((1 - t) * rows[j + 1][k] + t * rows[j + 1][k + 1]);
  };
  RingedDisc disc;
  for (const auto* line : {&layout.profile[lead.odd], &layout.profile[a], &layout.sector[a], &layout.profile[b]}) {
    RingedDisc::Border& side = disc.sides.emplace_back(RingedDisc::Border{{line->rbegin(), line->rend()}, {}});
    for (Index p : side.points) side.at.push_back(layout.at(p));
  }
  disc.faces_per_segment = lead_faces;
  disc.place = [&](double along, double depth) {
    const int side = static_cast<int>(along);
    const double share = along - side, x = side == 0 ? 1 - share : side == 1 ? 0 : side == 2 ? share : 1, y = side == 0 ? 0 : side == 1 ? share : side == 2 ? 1 : 1 - share;
    return at(0.5 + (1 - depth) * (x - 0.5), 0.5 + (1 - depth) * (y - 0.5));
  };
  disc.add_point = [&](const Vec3& p) { return layout.add_point(p, cell); };
  return disc.faces();
}

}  // namespace

std::vector<std::vector<Index>> corner_patch(StripLayout& layout, Index cell) {
  std::vector<std::vector<Index>> rings;
  if (layout.led_over.contains(cell) && (!layout.ends().is_smooth(cell) || is_tangent(layout, cell))) return led_over_patch(layout, cell);
  if (takes_round_patch(layout, cell)) return round_patch(layout, cell);
  std::vector<Index> loop = border(layout, cell);
  if (loop.size() > 2) rings.push_back(std::move(loop));
  return rings;
}

}  // namespace anvil
