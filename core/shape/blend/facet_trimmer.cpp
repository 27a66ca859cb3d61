// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/facet_trimmer.h"

#include <algorithm>
#include <limits>
#include <numeric>

#include "core/shape/blend/ring_crossings.h"

namespace anvil {
namespace {

constexpr double reach_of_removed = 1.5;  // times the distance from its edge at which a strip ends: nothing farther off is taken away

}  // namespace

std::set<Index> FacetTrimmer::run() {
  blamed_.clear();
  state_.assign(graph_.facets.size(), State::kept);
  rings_.assign(graph_.facets.size(), {});
  const auto& trims = layout_.trims;
  first_.assign(graph_.facets.size() + 1, 0);
  for (const Trim& t : trims) ++first_[t.facet + 1];
  std::partial_sum(first_.begin(), first_.end(), first_.begin());
  order_.resize(trims.size());
  std::vector<Index> next(first_.begin(), first_.end() - 1);
  for (Index k = 0; k < trims.size(); ++k) order_[next[trims[k].facet]++] = k;
  count_pieces();
  for (Index f = 0; f < graph_.facets.size(); ++f) {
    layout_.ends().task().listen(f);
    if (first_[f] < first_[f + 1]) trim(f, {order_.data() + first_[f], order_.data() + first_[f + 1]});
  }
  if (!blamed_.empty()) return blamed_;
  take_away();
  check_removed();
  compare_sides();
  if (!blamed_.empty()) return blamed_;
  for (Index f = 0; f < graph_.facets.size(); ++f) {
    layout_.ends().task().listen(f);
    if (state_[f] == State::trimmed) check_rings(f);
  }
  return blamed_;
}

void FacetTrimmer::blame(const std::array<Index, 2>& cells) {
  for (Index c : cells)
    if (c != no_index && layout_.ends().scale(c) > 0) blamed_.insert(c);
}

void FacetTrimmer::blame_facet(Index facet) {
  for (Index k = first_[facet]; k < first_[facet + 1]; ++k) blame(layout_.trims[order_[k]].cells);
}

void FacetTrimmer::count_pieces() {
  first_piece_.assign(graph_.edge_count() + 1, 0);
  for (Index e = 0; e < graph_.edge_count(); ++e) first_piece_[e + 1] = first_piece_[e] + layout_.cuts[e].size() + 1;
  for (auto& seen : seen_) seen.assign(first_piece_.back(), 0);
}

/// The piece of an edge behind so many of its points, as the half runs.
std::size_t FacetTrimmer::piece(Index half, std::size_t passed) const {
  const Index e = half / 2;
  return first_piece_[e] + (half & 1 ? layout_.cuts[e].size() - passed : passed);
}

/// The half of the facet's border on which a point lies, and how many points of its edge are passed there; no_index for one that lies within.
Index FacetTrimmer::half_at(Index facet, Index point, std::size_t& passed) const {
  if (point < layout_.ends().task().mesh.positions.size()) {
    passed = 0;
    for (Index h : graph_.cells[layout_.home_of(point)].out)
      if (graph_.halves[h].facet == facet) return h;
    return no_index;
  }
  const Index e = layout_.edge_of(point);
  if (e == no_index) return no_index;
  const auto& cuts = layout_.cuts[e];
  const auto place = static_cast<std::size_t>(std::find(cuts.begin(), cuts.end(), point) - cuts.begin());
  const Index h = graph_.halves[2 * e].facet == facet ? 2 * e : 2 * e + 1;
  passed = h & 1 ? cuts.size() - place : place + 1;
  return graph_.halves[h].facet == facet ? h : no_index;
}

void FacetTrimmer::trim(Index facet, std::span<const Index> trims) {
  state_[facet] = State::trimmed;
  std::vector<char> used(trims.size(), 0);
  // By where they begin, to be found by that.
  std::vector<Index> sorted(trims.begin(), trims.end());
  std::sort(sorted.begin(), sorted.end(), [&](Index a, Index b) { return layout_.trims[a].from < layout_.trims[b].from; });
  for (std::size_t k = 0; k + 1 < sorted.size(); ++k)
    if (layout_.trims[sorted[k]].from == layout_.trims[sorted[k + 1]].from) blame(layout_.trims[sorted[k]].cells), blame(layout_.trims[sorted[k + 1]].cells);
  for (std::size_t k = 0; k < sorted.size(); ++k) {
    if (used[k]) continue;
    TrimmedRing ring;
    if (!follow(facet, sorted, k, used, ring)) {
      blame(layout_.trims[sorted[k]].cells);
      for (const auto& pair : ring.cells) blame(pair);
      continue;
    }
    rings_[facet].push_back(std::move(ring));
  }
  // Loops that no trim line touches stay.
  for (Index loop : graph_.facets[facet].loops) {
    bool touched = false;
    TrimmedRing ring;
    for (Index h = loop;;) {
      touched = touched || layout_.ends().is_finished(h) || !layout_.cuts[h / 2].empty() || seen_[h & 1][piece(h, 0)] != 0;
      ring.points.push_back(graph_.halves[h].from);
      ring.cells.push_back({no_index, no_index});
      h = graph_.halves[h].next;
      if (h == loop) break;
    }
    if (touched) continue;
    for (Index h = loop;;) {
      seen_[h & 1][piece(h, 0)] = 1;
      h = graph_.halves[h].next;
      if (h == loop) break;
    }
    rings_[facet].push_back(std::move(ring));
  }
}

/// From one trim line around to its beginning.
bool FacetTrimmer::follow(Index facet, std::span<const Index> trims, std::size_t begin, std::vector<char>& used, TrimmedRing& ring) {
  const auto leaving = [&](Index point) {
    const auto it = std::lower_bound(trims.begin(), trims.end(), point, [&](Index t, Index p) { return layout_.trims[t].from < p; });
    return it != trims.end() && layout_.trims[*it].from == point ? static_cast<std::size_t>(it - trims.begin()) : trims.size();
  };
  // Every step uses a trim line, or a piece of an old edge that is not seen yet: it ends.
  for (std::size_t now = begin;;) {
    const Trim& t = layout_.trims[trims[now]];
    if (used[now]) return now == begin;
    used[now] = 1;
    ring.points.push_back(t.from);
    ring.cells.push_back(t.cells);
    now = leaving(t.to);
    if (now < trims.size()) continue;
    std::size_t passed = 0;
    Index half = half_at(facet, t.to, passed), point = t.to;
    if (half == no_index) return false;
    while (true) {
      const std::size_t at = piece(half, passed);
      if (layout_.ends().is_finished(half)) {
        blame({graph_.cell_of[half], graph_.cell_of[FeatureGraph::twin(half)]});
        return false;
      }
      if (std::exchange(seen_[half & 1][at], 1)) return false;
      ring.points.push_back(point);
      ring.cells.push_back({no_index, no_index});
      const auto& cuts = layout_.cuts[half / 2];
      if (passed < cuts.size()) {
        point = half & 1 ? cuts[cuts.size() - 1 - passed] : cuts[passed];
        ++passed;
      } else {
        point = graph_.halves[half].to;
        half = graph_.halves[half].next;
        passed = 0;
      }
      now = leaving(point);
      if (now < trims.size()) break;
    }
  }
}

/// What lies wholly beyond trim lines goes: facets across the pieces of edges that went. What stays spreads as well, so that where trim lines contradict each
/// other only what is near goes wrong.
void FacetTrimmer::take_away() {
  std::vector<Index> open;
  std::vector<char> reached(graph_.facets.size(), 0);
  source_.assign(graph_.facets.size(), {no_index, no_index});
  const auto reach = [&](Index f, State state, const std::array<Index, 2>& source) {
    if (reached[f] || state_[f] == State::trimmed) return;
    reached[f] = 1;
    state_[f] = state;
    source_[f] = source;
    open.push_back(f);
  };
  const auto each_half = [&](Index f, const auto& what) {
    for (Index loop : graph_.facets[f].loops)
      for (Index h = loop;;) {
        what(h);
        h = graph_.halves[h].next;
        if (h == loop) break;
      }
  };
  const StripEnds& ends = layout_.ends();
  for (Index h = 0; h < graph_.halves.size(); ++h) {
    ends.task().listen(h);
    if (ends.is_finished(h) && ends.is_station(ends.cell(h)))
      for (Index along : ends.run(h)) reach(graph_.halves[along].facet, State::removed, {ends.cell(h), ends.cell(ends.opposite(h))});
  }
  for (Index f = 0; f < graph_.facets.size(); ++f)
    if (state_[f] == State::trimmed)
      each_half(f, [&](Index h) {
        if (layout_.ends().is_finished(h)) return;
        const Index beyond = graph_.halves[FeatureGraph::twin(h)].facet;
        for (std::size_t k = first_piece_[h / 2]; k < first_piece_[h / 2 + 1]; ++k)
          if (seen_[h & 1][k]) reach(beyond, State::kept, {no_index, no_index});
          else if (!reached[beyond] && state_[beyond] != State::trimmed) reach(beyond, State::removed, nearest_cells(f, h));
      });
  for (std::size_t k = 0; k < open.size(); ++k) {
    const Index f = open[k];
    each_half(f, [&](Index h) {
      if (!layout_.ends().is_finished(h)) reach(graph_.halves[FeatureGraph::twin(h)].facet, state_[f], source_[f]);
    });
  }
}

/// What goes lies beneath the strips: where it reaches farther, trim lines enclose the wrong side.
void FacetTrimmer::check_removed() {
  const StripEnds& ends = layout_.ends();
  const BlendTask& task = ends.task();
  const auto is_beneath = [&](Index v, const std::array<Index, 2>& cells) {
    const Vec3 &p = task.vertex_of(cells[0]), pq = task.vertex_of(cells[1]) - p, off = task.mesh.positions[v] - p;
    const double length2 = pq.squaredNorm(), share = length2 > 0 ? std::clamp(off.dot(pq) / length2, 0.0, 1.0) : 0;
    return (off - share * pq).norm() <= reach_of_removed * std::max(ends.reach(cells[0]), ends.reach(cells[1]));
  };
  for (Index f = 0; f < graph_.facets.size(); ++f) {
    task.listen(f);
    if (state_[f] == State::kept || (state_[f] == State::removed && source_[f][0] == no_index)) continue;
    for (Index loop : graph_.facets[f].loops)
      for (Index h = loop;;) {
        const Index v = graph_.halves[h].from;
        if (state_[f] == State::removed) {
          if (!is_beneath(v, source_[f])) blame(source_[f]);
        } else if (!ends.is_finished(h) && !seen_[h & 1][piece(h, 0)] && !ends.is_touched(graph_.cell_of[h])) {
          const auto trims = std::span(order_).subspan(first_[f], first_[f + 1] - first_[f]);
          if (std::none_of(trims.begin(), trims.end(), [&](Index t) { return is_beneath(v, layout_.trims[t].cells); })) blame(nearest_cells(f, h));
        }
        h = graph_.halves[h].next;
        if (h == loop) break;
      }
  }
}

/// The cells of the trim line in a facet that lies nearest to a half of its border.
std::array<Index, 2> FacetTrimmer::nearest_cells(Index facet, Index half) const {
  const auto& positions = layout_.ends().task().mesh.positions;
  const Vec3 middle = (positions[graph_.halves[half].from] + positions[graph_.halves[half].to]) / 2;
  double nearest = std::numeric_limits<double>::infinity();
  std::array<Index, 2> cells{no_index, no_index};
  for (Index k = first_[facet]; k < first_[facet + 1]; ++k) {
    const Trim& trim = layout_.trims[order_[k]];
    const double distance = ((layout_.at(trim.from) + layout_.at(trim.to)) / 2 - middle).squaredNorm();
    if (distance < nearest) nearest = distance, cells = trim.cells;
  }
  return cells;
}

/// Both sides of an edge must keep the same of it.
void FacetTrimmer::compare_sides() {
  for (Index e = 0; e < graph_.edge_count(); ++e) {
    layout_.ends().task().listen(e);
    if (layout_.ends().is_finished(2 * e)) continue;
    const Index facets[2] = {graph_.halves[2 * e].facet, graph_.halves[2 * e + 1].facet};
    for (std::size_t k = first_piece_[e]; k < first_piece_[e + 1]; ++k) {
      const auto kept = [&](int side) { return state_[facets[side]] == State::trimmed ? seen_[side][k] != 0 : state_[facets[side]] == State::kept; };
      if (kept(0) == kept(1)) continue;
      for (int side : {0, 1}) {
        if (state_[facets[side]] == State::removed) blame(source_[facets[side]]);
        if (state_[facets[side]] == State::trimmed && state_[facets[1 - side]] != State::removed) blame(nearest_cells(facets[side], 2 * e + static_cast<Index>(side)));
      }
    }
  }
}

// Rings ---------------------------------------------------------------------------------------------------------

void FacetTrimmer::check_rings(Index facet) {
  const Projection flat = Projection::along(graph_.facets[facet].normal);
  std::vector<RingSegment> segments;
  std::vector<std::array<Index, 2>> cells;
  std::vector<double> area(rings_[facet].size(), 0);
  for (std::size_t r = 0; r < rings_[facet].size(); ++r) {
    const TrimmedRing& ring = rings_[facet][r];
    for (std::size_t k = 0; k < ring.points.size(); ++k) {
      const Point2 a = flat(layout_.at(ring.points[k])), b = flat(layout_.at(ring.points[(k + 1) % ring.points.size()]));
      if (a.x == b.x && a.y == b.y) {
        blame(ring.cells[k]);
        continue;
      }
      area[r] += a.x * b.y - a.y * b.x;
      segments.push_back({a, b, r});
      cells.push_back(ring.cells[k]);
    }
  }
  find_crossings(segments, [&](std::size_t i, std::size_t j) { blame(cells[i]), blame(cells[j]); return true; });
  if (!blamed_.empty()) return;
  // A ring that runs counter-clockwise lies outside all others, or in as many holes as outlines; a hole within one outline.
  if (rings_[facet].size() == 1) {
    if (!(area[0] > 0)) blame_facet(facet);
    return;
  }
  for (std::size_t r = 0; r < rings_[facet].size(); ++r) {
    const TrimmedRing& ring = rings_[facet][r];
    const Point2 p = flat(layout_.at(ring.points[0]));
    int winding = 0;
    for (const RingSegment& s : segments) {
      if (s.ring == r) continue;
      const bool up = s.a.y <= p.y && s.b.y > p.y, down = s.b.y <= p.y && s.a.y > p.y;
      if (!up && !down) continue;
      const int side = orient2d(s.a, s.b, p);
      if (up && side > 0) ++winding;
      if (down && side < 0) --winding;
    }
    if (winding == (area[r] > 0 ? 0 : 1)) continue;
    const bool own = std::any_of(ring.cells.begin(), ring.cells.end(), [](const auto& pair) { return pair[0] != no_index; });
    if (own)
      for (const auto& pair : ring.cells) blame(pair);
    else
      blame_facet(facet);
  }
}

}  // namespace anvil
