// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/corner_patch.h"

#include <algorithm>

#include "core/shape/blend/ringed_disc.h"
#include "core/shape/blend/round_patch.h"

namespace anvil {
namespace {

constexpr double lead_faces = 1.4;  // per segment of the border

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
  if (layout.led_over.contains(cell)) return led_over_patch(layout, cell);
  if (takes_round_patch(layout, cell)) return round_patch(layout, cell);
  std::vector<Index> loop = border(layout, cell);
  if (loop.size() > 2) rings.push_back(std::move(loop));
  return rings;
}

}  // namespace anvil
