// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/strip_layout.h"

#include <algorithm>
#include <cmath>

#include "core/shape/blend/sector.h"

namespace anvil {
namespace {

constexpr double passable_turn = 1.05;  // radians: a trim line does not run across sharper edges
constexpr double max_share_of_edge = 0.98;       // of an edge's length may go to the cells at its ends
constexpr double margin = 0.97;         // how much of that is used where it is not enough: the next solution differs a little

}  // namespace

BlendTask::BlendTask(const Mesh& mesh, const EdgeTable& edges, const FeatureGraph& graph, std::span<const Index> list, const EdgeBlendSettings& settings, const Control& control)
    : mesh(mesh), edges(edges), graph(graph), settings(settings), control(control), chosen(graph.edge_count(), 0), sections(graph.edge_count()), turn(graph.edge_count()) {
  for (Index e : list) chosen[graph.edge_of[e]] = 1;
  for (Index e = 0; e < graph.edge_count(); ++e) {
    listen(e);
    const FeatureGraph::Half &half = graph.halves[2 * e], &other = graph.halves[2 * e + 1];
    const Vec3 &n = graph.facets[half.facet].normal, &m = graph.facets[other.facet].normal;
    turn[e] = std::atan2(n.cross(m).norm(), n.dot(m));
    sections[e] = CrossSection::of(mesh.positions[half.from], mesh.positions[half.to], n, m);
  }
  const std::vector<BlendChain> chains = blend_chains(graph, chosen, sections);
  give_widths(chains, settings, sections);
  growth = growth_along(chains, graph, settings, sections);
}

CrossSection BlendTask::section(Index half) const {
  CrossSection s = sections[half / 2];
  if ((half & 1) == 0) return s;
  s.way = -s.way;
  std::swap(s.left, s.right);
  std::swap(s.left_width, s.right_width);
  return s;
}

StripLayout::StripLayout(const BlendTask& task)
    : scale(task.graph.cells.size(), 1), cuts(task.graph.edge_count()), sector(task.graph.halves.size()), profile(task.graph.halves.size()), side(task.graph.halves.size()),
      task_(task), passable_(task.graph.edge_count()), walk_(task.mesh, task.graph, passable_), cell_at_(task.mesh.positions.size(), no_index), touched_(task.graph.cells.size(), 0) {
  for (Index e = 0; e < task.graph.edge_count(); ++e) passable_[e] = !task.chosen[e] && task.turn[e] < passable_turn;
  for (Index c = 0; c < task.graph.cells.size(); ++c) {
    const auto& out = task.graph.cells[c].out;
    cell_at_[task.graph.cells[c].vertex] = c;
    if (out.size() < 2 || runs_out(task, c)) scale[c] = 0;
  }
}

double StripLayout::left_width(Index half) const {
  const CrossSection& s = task_.sections[half / 2];
  return (half & 1 ? s.right_width : s.left_width) * task_.growth[half] * scale[task_.graph.cell_of[half]];
}
double StripLayout::right_width(Index half) const {
  const CrossSection& s = task_.sections[half / 2];
  return (half & 1 ? s.left_width : s.right_width) * task_.growth[half] * scale[task_.graph.cell_of[half]];
}

Index StripLayout::add_point(const Vec3& at, Index home) {
  points_.push_back({SurfacePoint::On::facet, no_index, 0, at});
  homes_.push_back(home);
  return point_count() - 1;
}

Index StripLayout::add(const SurfacePoint& p, Index home) {
  if (p.on == SurfacePoint::On::vertex) return task_.graph.cells[p.where].vertex;
  points_.push_back(p);
  homes_.push_back(home);
  const Index id = point_count() - 1;
  if (p.on == SurfacePoint::On::edge) cuts[p.where].push_back(id);
  return id;
}

SurfacePoint StripLayout::surface_point(Index p) const {
  if (p < task_.mesh.positions.size()) return {SurfacePoint::On::vertex, cell_at_[p], 0, at(p)};
  return point(p);
}

void StripLayout::less(Index cell, double by) {
  if (scale[cell] > 0) room[cell] = std::min(room[cell], by);
}

void StripLayout::solve() {
  points_.clear();
  homes_.clear();
  trims.clear();
  blamed.clear();
  led_over.clear();
  room.assign(scale.size(), 1);
  for (auto& list : cuts) list.clear();
  const FeatureGraph& graph = task_.graph;
  for (Index c = 0; c < graph.cells.size(); ++c) {
    const auto& out = graph.cells[c].out;
    touched_[c] = std::any_of(out.begin(), out.end(), [&](Index h) { return is_finished(h); });
  }
  for (Index c = 0; c < graph.cells.size(); ++c) {
    task_.listen(c);
    if (is_laid_out(c)) SectorSolver(*this, c).solve();
    else if (touched_[c])
      for (Index h : graph.cells[c].out)
        if (is_finished(h)) {
          sector[h] = {graph.cells[c].vertex};
          profile[h].assign(task_.settings.round ? task_.settings.segments + 1 : 2, graph.cells[c].vertex);
        }
  }
  for (Index h = 0; h < graph.halves.size(); ++h) {
    task_.listen(h);
    if (is_finished(h)) lay_side(h);
  }
  order_cuts();
}

void StripLayout::connect(Index from, Index to, const Vec3& up, Index facet, std::array<Index, 2> cells, std::vector<Index>& line) {
  if (line.empty() || line.back() != from) line.push_back(from);
  if (from == to) return;
  SurfacePath path;
  if (!walk_.connect(surface_point(from), surface_point(to), up, facet, path)) {
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

/// The trim line on the left of a half, and whether it has room between what its ends take.
void StripLayout::lay_side(Index half) {
  const FeatureGraph& graph = task_.graph;
  const Index back = FeatureGraph::twin(half), c = graph.cell_of[half], d = graph.cell_of[back];
  const CrossSection section = task_.section(half);
  const Index from = profile[half].front(), to = profile[back].back();
  side[half].clear();
  const double begin = (at(from) - task_.vertex_of(c)).dot(section.way), end = (task_.vertex_of(d) - at(to)).dot(section.way), used = begin + end;
  if (used > max_share_of_edge * section.length) {
    const double by = margin * max_share_of_edge * section.length / used;
    if (begin > 0) less(c, by);
    if (end > 0) less(d, by);
    if (begin <= 0 && end <= 0) less(c, by), less(d, by);
    return;
  }
  connect(from, to, section.way.cross(section.left), graph.halves[half].facet, {c, d}, side[half]);
}

/// Points on an edge in their order, and room for those of both ends.
void StripLayout::order_cuts() {
  const FeatureGraph& graph = task_.graph;
  for (Index e = 0; e < graph.edge_count(); ++e) {
    task_.listen(e);
    if (cuts[e].empty()) continue;
    const Index c = graph.cell_of[2 * e], d = graph.cell_of[2 * e + 1];
    double begin = 0, end = 0;
    const double length = task_.sections[e].length;
    for (Index p : cuts[e]) {
      if (home_of(p) == c) begin = std::max(begin, point(p).along);
      if (home_of(p) == d) end = std::max(end, length - point(p).along);
    }
    if (begin + end > max_share_of_edge * length) {
      const double by = margin * max_share_of_edge * length / (begin + end);
      if (begin > 0) less(c, by);
      if (end > 0) less(d, by);
    }
    std::sort(cuts[e].begin(), cuts[e].end(), [&](Index p, Index q) { return point(p).along < point(q).along; });
  }
}

}  // namespace anvil
