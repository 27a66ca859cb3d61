// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/strip_ends.h"

#include <algorithm>
#include <cmath>

#include "core/shape/blend/sector.h"

namespace anvil {
namespace {

constexpr double max_share_of_edge = 0.98;  // of an edge's length may go to the cells at its ends
constexpr double margin = 0.97;            // how much of that is used where it is not enough: the next solution differs a little
constexpr double least_width = 1e-3;       // of what was asked, or of the longest edge there if that is less: a smaller width is none
constexpr std::size_t max_widening = 24;   // edges of a run
constexpr double max_lean = 0.5;           // cosine: edges of a run lean no more away from its way
constexpr double max_off = 0.3;            // of the width: cells that are dropped lie no farther off the run
constexpr double least_progress = 0.5;     // of its length: so long a run's strip is on each side at least

}  // namespace

StripEnds::StripEnds(const BlendTask& task)
    : task_(task), passable_(task.graph.edge_count()), walk_(task.mesh, task.graph, passable_), scale_(task.graph.cells.size(), 1), least_scale_(task.graph.cells.size()), finished_(task.chosen), touched_(task.graph.cells.size(), 0),
      dropped_(task.graph.cells.size(), 0), blamed_(task.graph.cells.size(), 0), last_(task.graph.halves.size()), before_(task.graph.halves.size(), no_index), sectors_(task.graph.halves.size()),
      slide_(task.graph.halves.size(), 0), room_(task.graph.cells.size(), 1), set_back_(task.graph.cells.size(), 0), is_open_(task.graph.cells.size(), 0) {
  const FeatureGraph& graph = task.graph;
  for (Index e = 0; e < graph.edge_count(); ++e) passable_[e] = !task.chosen[e] && !is_sharp(task, 2 * e);
  for (Index h = 0; h < graph.halves.size(); ++h) last_[h] = h;
  for (Index c = 0; c < graph.cells.size(); ++c)
    if (graph.cells[c].out.size() < 2 || runs_out(task, c)) scale_[c] = 0;
  for (Index e = 0; e < graph.edge_count(); ++e)
    if (task.chosen[e] && scale_[cell(2 * e)] == 0 && scale_[cell(2 * e + 1)] == 0) finished_[e] = 0;
  for (Index c = 0; c < graph.cells.size(); ++c) {
    double width = 0, length = 0;
    const auto meeting = std::count_if(graph.cells[c].out.begin(), graph.cells[c].out.end(), [&](Index h) { return task.chosen[h / 2] != 0; });
    if (task.settings.round && task.settings.segments > 1 && meeting > 2) set_back_[c] = 1;
    for (Index h : graph.cells[c].out)
      if (task.chosen[h / 2]) {
        const CrossSection& s = task.sections[h / 2];
        touch(c), width = std::max({width, task.growth[h] * s.left_width, task.growth[h] * s.right_width}), length = std::max(length, s.length);
      }
    least_scale_[c] = width > 0 ? least_width * std::min(1.0, length / width) : least_width;
  }
}

CrossSection StripEnds::section(Index half) const {
  if (const auto it = merged_.find(half); it != merged_.end()) return it->second;
  return task_.section(half);
}

Vec3 StripEnds::way(Index half) const {
  if (!merged_.empty())
    if (const auto it = merged_.find(half); it != merged_.end()) return it->second.way;
  return (half & 1 ? -1.0 : 1.0) * task_.sections[half / 2].way;
}

std::vector<Index> StripEnds::run(Index half) const {
  std::vector<Index> halves{half};
  while (halves.back() != last_[half]) halves.push_back(onward(halves.back()));
  return halves;
}

double StripEnds::reach(Index c) const {
  double reach = 0;
  for (Index h : task_.graph.cells[c].out) {
    if (!is_finished(h)) continue;
    reach = std::max({reach, left_width(h), right_width(h)});
    for (const SurfacePoint& p : sectors_[h]) reach = std::max(reach, (p.at - task_.vertex_of(c)).norm());
  }
  return reach;
}

void StripEnds::touch(Index cell) {
  if (!is_open_[cell]) is_open_[cell] = 1, open_.push_back(cell);
}

void StripEnds::set_scale(Index c, double scale) {
  scale_[c] = scale < least_scale_[c] ? 0 : scale;
  touch(c);
  if (scale_[c] > 0) return;
  // Runs without width at both ends stay as they were.
  for (Index h : task_.graph.cells[c].out) {
    if (!finished_[h / 2]) continue;
    const Index far = cell(opposite(h));
    if (scale_[far] > 0) continue;
    for (Index at : run(h)) finished_[at / 2] = 0;
    touch(far);
  }
}

bool StripEnds::blame(Index c, double by) {
  if (scale_[c] == 0) return false;
  lessen(c, std::pow(by, ++blamed_[c]));
  return true;
}

void StripEnds::give_up() {
  for (Index c = 0; c < scale_.size(); ++c)
    if (touched_[c] && scale_[c] > 0) set_scale(c, 0);
}

void StripEnds::less(Index c, double by) {
  if (scale_[c] > 0) room_[c] = std::min(room_[c], by);
}

/// Less room for a cell: strips are not set back any more; after that widths are less.
void StripEnds::lessen(Index c, double by) {
  if (set_back_[c] == 0) return set_scale(c, scale_[c] * by);
  set_back_[c] = 0;
  touch(c);
}

bool StripEnds::has_both_kinds(Index c) const {
  bool convex = false, concave = false;
  for (Index h : task_.graph.cells[c].out)
    if (is_finished(h)) (task_.sections[h / 2].convex ? convex : concave) = true;
  return convex && concave;
}

/// Each time around, a scale becomes less, of which there are few before it is 0, or a cell is dropped: it ends.
void StripEnds::settle() {
  while (!open_.empty()) {
    check_stop(task_.control);
    const std::vector<Index> now = std::move(open_);
    open_.clear();
    for (Index c : now) is_open_[c] = 0;
    for (Index k = 0; k < now.size(); ++k) task_.listen(k), place(now[k]);
    placed_.insert(placed_.end(), now.begin(), now.end());
    for (Index k = 0; k < now.size(); ++k) {
      task_.listen(k);
      for (Index h : task_.graph.cells[now[k]].out)
        if (dropped_[now[k]]) break;
        else if (finished_[h / 2]) check_run(h);
        else if (slide_[h] > 0) check_edge(h);
    }
    for (Index c : now) {
      const auto apply = [&](Index cell) {
        const double by = margin * std::exchange(room_[cell], 1);
        if (by < margin && !dropped_[cell]) lessen(cell, by);
      };
      apply(c);
      if (!dropped_[c])
        for (Index h : task_.graph.cells[c].out) apply(cell(FeatureGraph::twin(last_[h])));
    }
  }
}

void StripEnds::place(Index c) {
  const auto& out = task_.graph.cells[c].out;
  if (dropped_[c]) return;
  touched_[c] = std::any_of(out.begin(), out.end(), [&](Index h) { return finished_[h / 2] != 0; });
  for (Index h : out) slide_[h] = 0, sectors_[h].clear();
  if (!touched_[c]) return;
  Index last = no_index;
  for (Index h : out)
    if (finished_[h / 2]) last = h;
  for (Index h : out)
    if (finished_[h / 2]) before_[h] = std::exchange(last, h);
  if (scale_[c] == 0) {
    for (Index h : out)
      if (finished_[h / 2]) sectors_[h] = {{SurfacePoint::On::vertex, c, 0, task_.vertex_of(c)}};
    return;
  }
  SectorSolver(*this, c).solve();
}

/// How far the strip's left side comes along the way from one station to another, beginning and ending with these halves.
double StripEnds::progress(Index from, Index to) const {
  const Index back = FeatureGraph::twin(to);
  const Vec3 &p = sectors_[from].back().at, &q = sectors_[before_[back]].front().at;
  return (q - p).dot((task_.vertex_of(cell(back)) - task_.vertex_of(cell(from))).stableNormalized());
}

/// Does the strip of a run have room between its ends, on both sides?
void StripEnds::check_run(Index half) {
  const Index back = opposite(half);
  if (sectors_[half].empty() || sectors_[back].empty()) return;  // not placed yet
  const double length = section(half).length;
  if (std::min(progress(half, last_[half]), progress(back, FeatureGraph::twin(half))) >= (1 - max_share_of_edge) * length) return;
  if (widen(half)) return;
  for (const Index h : {half, back}) {
    const Index far = opposite(h);
    const Vec3 along = way(h);
    const double begin = (sectors_[h].back().at - task_.vertex_of(cell(h))).dot(along), end = (task_.vertex_of(cell(far)) - sectors_[before_[far]].front().at).dot(along), used = begin + end;
    if (used <= max_share_of_edge * length) continue;
    const double by = max_share_of_edge * length / used;
    if (begin > 0 || end <= 0) less(cell(h), by);
    if (end > 0 || begin <= 0) less(cell(far), by);
  }
}

/// Have the ends that slide along an edge from both of its cells room on it?
void StripEnds::check_edge(Index half) {
  const Index other = FeatureGraph::twin(half);
  const double used = slide_[half] + slide_[other], room = max_share_of_edge * task_.sections[half / 2].length;
  if (used <= room) return;
  less(cell(half), room / used);
  if (slide_[other] > 0) less(cell(other), room / used);
}

// Runs ----------------------------------------------------------------------------------------------------------

/// The finished half by which a chain goes on behind one, at a cell with two.
Index StripEnds::onward(Index half) const {
  const Index back = FeatureGraph::twin(half);
  for (Index h : task_.graph.cells[cell(back)].out)
    if (h != back && task_.chosen[h / 2]) return h;
  return no_index;
}

bool StripEnds::can_be_dropped(Index c) const {
  const CrossSection* first = nullptr;
  std::size_t finished = 0;
  for (Index h : task_.graph.cells[c].out) {
    if (!task_.chosen[h / 2]) {
      if (is_sharp(task_, h)) return false;
      continue;
    }
    if (!finished_[h / 2]) return false;
    ++finished;
    if (first != nullptr && first->convex != task_.sections[h / 2].convex) return false;
    first = &task_.sections[h / 2];
  }
  return finished == 2 && scale_[c] > 0 && !dropped_[c];
}

/// Drops stations about a run whose strip would fold: the fewest with which it does not.
bool StripEnds::widen(Index half) {
  // Runs before and behind it, each by the half that leaves its first station.
  std::vector<Index> runs{half};
  std::size_t place = 0;
  for (std::size_t k = 0; k < max_widening && can_be_dropped(cell(opposite(runs.back()))); ++k) {
    const Index next = onward(last_[runs.back()]);
    if (next == no_index || next == half || sectors_[next].empty()) break;
    runs.push_back(next);
  }
  for (std::size_t k = 0; k < max_widening && can_be_dropped(cell(runs.front())); ++k) {
    const Index before = onward(FeatureGraph::twin(runs.front()));
    if (before == no_index) break;
    // The half that goes back from here along the run before it; its other end is where that run begins.
    const Index first = opposite(before);
    if (first == runs.back() || sectors_[first].empty()) break;
    runs.insert(runs.begin(), first);
    ++place;
  }
  const double width = std::max(left_width(half), right_width(half));
  const auto fits = [&](std::size_t first, std::size_t last) {
    const Index from = runs[first], to = last_[runs[last]], back = FeatureGraph::twin(to);
    const Vec3 &p = task_.vertex_of(cell(from)), chord = task_.vertex_of(cell(back)) - p, along = chord.stableNormalized();
    if (cell(from) == cell(back)) return false;
    const double length = chord.norm();
    if (std::min(progress(from, to), progress(back, FeatureGraph::twin(from))) < least_progress * length) return false;
    // What is dropped lies beyond the strip, as the corners at both ends do: over a hump a straight strip would cut the wrong way.
    const Vec3 &l = sectors_[from].back().at, &r = sectors_[before_[from]].front().at, &m = sectors_[back].back().at, &s = sectors_[before_[back]].front().at;
    const Vec3 middle = (l + r + m + s) / 4, out = along.cross((r - l) + (m - s)).stableNormalized();
    const std::vector<ProfilePoint> points = profile(section(half).corner, task_.settings);
    const double share = 1 - points[points.size() / 2].left - points[points.size() / 2].right, depth = out.dot((p + task_.vertex_of(cell(back))) / 2 - middle);
    for (std::size_t k = first; k <= last; ++k) {
      if (way(runs[k]).dot(along) < max_lean) return false;
      if (k > first && (out.dot(task_.vertex_of(cell(runs[k])) - middle) - share * depth) * depth < 0) return false;
      const Vec3 off = task_.vertex_of(cell(runs[k])) - p;
      if ((off - off.dot(along) * along).norm() > max_off * width) return false;
    }
    return true;
  };
  for (std::size_t more = 1; more < runs.size(); ++more)
    for (std::size_t first = place > more ? place - more : 0; first <= place && first + more < runs.size(); ++first) {
      if (first + more < place || !fits(first, first + more)) continue;
      std::vector<Index> halves;
      for (std::size_t k = first; k <= first + more; ++k)
        for (Index h : run(runs[k])) halves.push_back(h);
      merge(halves);
      return true;
    }
  return false;
}

void StripEnds::merge(const std::vector<Index>& halves) {
  const FeatureGraph& graph = task_.graph;
  Vec3 left = Vec3::Zero(), right = Vec3::Zero();
  double left_width = 0, right_width = 0, whole = 0;
  for (std::size_t k = 0; k < halves.size(); ++k) {
    const CrossSection s = task_.section(halves[k]);
    left += s.length * graph.facets[graph.halves[halves[k]].facet].normal;
    right += s.length * graph.facets[graph.halves[FeatureGraph::twin(halves[k])].facet].normal;
    left_width += s.length * s.left_width, right_width += s.length * s.right_width, whole += s.length;
    if (k > 0) dropped_[cell(halves[k])] = 1, touched_[cell(halves[k])] = 0;
    merged_.erase(halves[k]), merged_.erase(FeatureGraph::twin(halves[k]));
  }
  const Index first = halves.front(), last = halves.back(), back = FeatureGraph::twin(last);
  CrossSection s = CrossSection::of(task_.vertex_of(cell(first)), task_.vertex_of(cell(back)), left.stableNormalized(), right.stableNormalized());
  s.left_width = left_width / whole, s.right_width = right_width / whole;
  merged_[first] = s;
  merged_[back] = s.reversed();
  last_[first] = last;
  last_[back] = FeatureGraph::twin(first);
  touch(cell(first)), touch(cell(back));
  if (scale_[cell(first)] == 0 && scale_[cell(back)] == 0) set_scale(cell(first), 0);
}

}  // namespace anvil
