// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/strip_layout.h"

#include <algorithm>

#include "core/shape/blend/cell_layout.h"

namespace anvil {

StripLayout::StripLayout(const StripEnds& ends)
    : cuts(ends.task().graph.edge_count()), sector(ends.task().graph.halves.size()), profile(sector.size()), side(sector.size()), ends_(ends), mesh_(ends.task().mesh),
      cell_at_(mesh_.positions.size(), no_index) {
  const BlendTask& task = ends.task();
  const FeatureGraph& graph = task.graph;
  for (Index c = 0; c < graph.cells.size(); ++c) cell_at_[graph.cells[c].vertex] = c;
  for (Index c = 0; c < graph.cells.size(); ++c) {
    task.listen(c);
    if (ends.is_laid_out(c)) {
      CellLayout(*this, c).lay_out();
      continue;
    }
    if (!ends.is_touched(c)) continue;
    for (Index h : graph.cells[c].out) {
      if (!ends.is_finished(h)) continue;
      sector[h] = {graph.cells[c].vertex};
      profile[h].assign(task.settings.round ? task.settings.segments + 1 : 2, graph.cells[c].vertex);
    }
  }
  for (Index h = 0; h < graph.halves.size(); ++h) {
    task.listen(h);
    if (!ends.is_finished(h) || !ends.is_station(ends.cell(h))) continue;
    const Index back = ends.opposite(h);
    const CrossSection section = ends.section(h);
    connect(profile[h].front(), profile[back].back(), section.way.cross(section.left), graph.halves[h].facet, {ends.cell(h), ends.cell(back)}, side[h]);
  }
  for (auto& points : cuts) std::sort(points.begin(), points.end(), [&](Index p, Index q) { return point(p).along < point(q).along; });
}

Index StripLayout::add_point(const Vec3& at, Index home) {
  points_.push_back({SurfacePoint::On::facet, no_index, 0, at});
  homes_.push_back(home);
  return point_count() - 1;
}

Index StripLayout::add(const SurfacePoint& p, Index home) {
  if (p.on == SurfacePoint::On::vertex) return ends_.task().graph.cells[p.where].vertex;
  points_.push_back(p);
  homes_.push_back(home);
  const Index id = point_count() - 1;
  if (p.on == SurfacePoint::On::edge) cuts[p.where].push_back(id);
  return id;
}

SurfacePoint StripLayout::surface_point(Index p) const {
  if (p < mesh_.positions.size()) return {SurfacePoint::On::vertex, cell_at_[p], 0, at(p)};
  return points_[p - mesh_.positions.size()];
}

void StripLayout::connect(Index from, Index to, const Vec3& up, Index facet, std::array<Index, 2> cells, std::vector<Index>& line) {
  if (line.empty() || line.back() != from) line.push_back(from);
  if (from == to) return;
  SurfacePath path;
  if (!ends_.walk().connect(surface_point(from), surface_point(to), up, facet, path)) {
    blamed.insert(cells.begin(), cells.end());
    line.push_back(to);
    return;
  }
  Index last = from;
  for (std::size_t k = 0; k < path.facets.size(); ++k) {
    const Index next = k < path.between.size() ? add(path.between[k], no_index) : to;
    trims.push_back({last, next, path.facets[k], cells});
    line.push_back(next);
    last = next;
  }
}

}  // namespace anvil
