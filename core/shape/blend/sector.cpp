// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/sector.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvil {
namespace {

constexpr double sharp_turn = 0.44;     // radians: trim lines end on sharper edges, and run across others
constexpr double least_sine = 0.25;     // a finished and another edge that part so little: the strip ends straight across instead of sliding far along
constexpr double straight_sine = 1e-3;  // two edges so nearly in line have their offset lines meet beside the vertex
constexpr double max_slide = 2.5;       // times the width: a smooth edge that leaves so flat is no place for a section
constexpr double max_unlike = 0.35;     // by how much what two edges ask for on a smooth edge may differ
constexpr double max_share_of_smooth = 0.9;        // of a smooth edge
constexpr double more_back = 0.4, even_within = 0.5;  // of the width: how much farther strips end than their sides ask for; sides so alike need no setback
constexpr double gentle_turn = 0.8;     // radians
constexpr Index small_facet = 64;       // halves: whether a point lies within is looked at; in larger ones crossing trim lines tell

}  // namespace

bool runs_out(const BlendTask& task, Index cell) {
  const auto& out = task.graph.cells[cell].out;
  const auto finished = std::count_if(out.begin(), out.end(), [&](Index h) { return task.chosen[h / 2] != 0; });
  return finished == 1 && std::all_of(out.begin(), out.end(), [&](Index h) { return task.chosen[h / 2] != 0 || !is_sharp(task, h); });
}

bool is_sharp(const BlendTask& task, Index half) { return task.turn[half / 2] >= sharp_turn; }

std::vector<Span> spans_of(const StripEnds& ends, Index cell) {
  const auto& out = ends.task().graph.cells[cell].out;
  std::vector<Span> spans;
  for (std::size_t i = 0; i < out.size(); ++i) {
    if (!ends.is_finished(out[i])) continue;
    Span span{i, 0};
    while (span.edges + 1 < out.size() && !ends.is_finished(out[(i + span.edges + 1) % out.size()])) ++span.edges;
    spans.push_back(span);
  }
  return spans;
}

SectorSolver::SectorSolver(StripEnds& ends, Index cell)
    : ends_(ends), task_(ends.task()), graph_(task_.graph), cell_(cell), out_(graph_.cells[cell].out), vertex_(task_.vertex_of(cell)) {}

void SectorSolver::solve() {
  const std::vector<Span> spans = spans_of(ends_, cell_);
  for (const Span& span : spans) ends_.sectors_[half(span.first)] = lay(span);
  if (ends_.is_smooth(cell_) && spans.size() > 3) set_back(spans);
}

/// Strips end where the farther of their two sides does, and a little more.
void SectorSolver::set_back(const std::vector<Span>& spans) {
  const std::size_t n = spans.size();
  std::vector<double> left(n), right(n), end(n);
  bool uneven = ends_.has_both_kinds(cell_);
  for (std::size_t i = 0; i < n; ++i) {
    const Index h = half(spans[i].first);
    const double width = std::max(ends_.left_width(h), ends_.right_width(h));
    left[i] = (ends_.sectors_[h].back().at - vertex_).dot(ends_.way(h));
    right[i] = (ends_.sectors_[ends_.before_[h]].front().at - vertex_).dot(ends_.way(h));
    end[i] = std::max(left[i], right[i]) + more_back * width;
    uneven = uneven || std::abs(left[i] - right[i]) > even_within * width;
  }
  if (!uneven) {
    ends_.set_back_[cell_] = 0;
    return;
  }
  for (std::size_t i = 0; i < n; ++i) {
    const std::size_t a = spans[i].first, b = a + 1, j = (i + 1) % n;
    Points& points = ends_.sectors_[half(a)];
    if (spans[i].edges > 0 || points.size() != 1 || points[0].on != SurfacePoint::On::facet || points[0].where != facet(a)) continue;
    const Vec3 &m = normal(a), along = way_within(a, a), along_next = way_within(b, a), meeting = points[0].at;
    const Vec3 own = end[i] * along + ends_.left_width(half(a)) * m.cross(along);
    const Vec3 next = end[j] * along_next + ends_.right_width(half(b)) * along_next.cross(m);
    const SurfacePoint first = reach(a, next.stableNormalized(), next.norm()), last = reach(a, own.stableNormalized(), own.norm());
    const double turn = std::numbers::pi - angle_between(a);
    Points curve{first};
    const int steps = turn < 0 ? 1 : turn < gentle_turn ? 2 : 4;
    if (turn < 0) curve.push_back(points[0]);
    for (int k = 1; k < steps; ++k) {
      const double x = static_cast<double>(k) / steps;
      curve.push_back({SurfacePoint::On::facet, facet(a), 0, (1 - x) * (1 - x) * first.at + 2 * x * (1 - x) * meeting + x * x * last.at});
    }
    curve.push_back(last);
    points = std::move(curve);
  }
}

/// Between a half and the one that follows, within their facet.
double SectorSolver::angle_between(std::size_t i) const {
  const Vec3 a = ends_.way(half(i)), b = ends_.way(half(i + 1));
  const double angle = std::atan2(normal(i).dot(a.cross(b)), a.dot(b));
  return angle < 0 ? angle + 2 * std::numbers::pi : angle;
}

/// The way of a half in the plane of the facet behind half i: that of a run of several edges need not lie in it.
Vec3 SectorSolver::way_within(std::size_t of, std::size_t i) const {
  const Vec3 way = ends_.way(half(of));
  return (way - way.dot(normal(i)) * normal(i)).stableNormalized();
}

SectorSolver::Points SectorSolver::lay(const Span& span) {
  if (span.edges == 0) return meet_in_facet(span.first);
  std::vector<std::size_t> sharp;
  for (std::size_t j = 1; j <= span.edges; ++j)
    if (is_sharp(task_, half(span.first + j))) sharp.push_back(j);
  return sharp.empty() ? across_smooth(span) : slide_on_sharp(span, sharp);
}

SectorSolver::Points SectorSolver::meet_in_facet(std::size_t i) {
  const Vec3 &n = normal(i), a = way_within(i, i), b = way_within(i + 1, i);
  const double first = ends_.left_width(half(i)), second = ends_.right_width(half(i + 1)), sine = n.dot(a.cross(b));
  const Vec3 off = std::abs(sine) > straight_sine ? Vec3(second / sine * a + first / sine * b) : Vec3((first * n.cross(a) + second * b.cross(n)) / 2);
  return {reach(i, off.stableNormalized(), off.norm())};
}

/// A point on the surface, straight on from the vertex into the facet behind half i.
SurfacePoint SectorSolver::reach(std::size_t i, const Vec3& direction, double length) {
  SurfacePoint p{SurfacePoint::On::facet, facet(i), 0, vertex_ + length * direction};
  if (graph_.facets[facet(i)].size <= small_facet) {
    const SurfaceWalk::Gone gone = ends_.walk().go(cell_, facet(i), direction, length);
    if (gone.length < length)
      ends_.less(cell_, gone.length / length);
    else if (gone.point.on != SurfacePoint::On::facet || gone.point.where != facet(i))
      p = gone.point;
  }
  return p;
}

SurfacePoint SectorSolver::on_edge(Index half, double distance) {
  if (distance <= 0) return at_vertex();
  ends_.slide_[half] = distance;
  const double length = task_.sections[half / 2].length;
  return {SurfacePoint::On::edge, half / 2, half & 1 ? length - distance : distance, vertex_ + distance * ends_.way(half)};
}

/// Straight across the end of a finished edge, where its strip ends in a wall.
SurfacePoint SectorSolver::beside(std::size_t i, bool left) const {
  const Vec3 way = ends_.way(half(i));
  if (left) return {SurfacePoint::On::facet, facet(i), 0, vertex_ + ends_.left_width(half(i)) * normal(i).cross(way).stableNormalized()};
  const std::size_t before = i + out_.size() - 1;
  return {SurfacePoint::On::facet, facet(before), 0, vertex_ + ends_.right_width(half(i)) * way.cross(normal(before)).stableNormalized()};
}

SectorSolver::Points SectorSolver::slide_on_sharp(const Span& span, const std::vector<std::size_t>& sharp) {
  double first_angle = 0, last_angle = 0;
  for (std::size_t j = 0; j < sharp.front(); ++j) first_angle += angle_between(span.first + j);
  for (std::size_t j = sharp.back(); j <= span.edges; ++j) last_angle += angle_between(span.first + j);
  const std::size_t last = span.first + span.edges + 1;
  const auto slide = [](double width, double angle) { return std::sin(angle) > least_sine || (std::cos(angle) > 0 && std::sin(angle) > 0.02) ? width / std::sin(angle) : 0; };
  double first = slide(ends_.left_width(half(span.first)), first_angle), second = slide(ends_.right_width(half(last)), last_angle);
  if (sharp.size() == 1) first = second = first > 0 && second > 0 ? (first + second) / 2 : 0;
  Points points;
  if (second == 0) points.push_back(beside(last, false));
  for (std::size_t k = sharp.size(); k-- > 0;) {
    const double x = sharp.size() > 1 ? static_cast<double>(k) / static_cast<double>(sharp.size() - 1) : 0;
    const double distance = first > 0 && second > 0 ? (1 - x) * first + x * second : k == 0 ? first : k + 1 == sharp.size() ? second : 0;
    const SurfacePoint p = on_edge(half(span.first + sharp[k]), distance);
    if (points.empty() || points.back().on != SurfacePoint::On::vertex || p.on != SurfacePoint::On::vertex) points.push_back(p);
  }
  if (first == 0) points.push_back(beside(span.first, true));
  return points;
}

/// No sharp edge between: on a smooth one that stands across, or where a straight way over the surface has the widths from both edges.
SectorSolver::Points SectorSolver::across_smooth(const Span& span) {
  const Index a = half(span.first), b = half(span.first + span.edges + 1);
  const double first = ends_.left_width(a), second = ends_.right_width(b);
  std::vector<double> angle(span.edges + 2, 0);
  for (std::size_t j = 0; j <= span.edges; ++j) angle[j + 1] = angle[j] + angle_between(span.first + j);
  const double whole = angle.back();
  std::size_t best = 0;
  double steepest = 0, slide = 0;
  for (std::size_t j = 1; j <= span.edges; ++j) {
    if (angle[j] >= std::numbers::pi || whole - angle[j] >= std::numbers::pi) continue;
    const double s = std::sin(angle[j]), t = std::sin(whole - angle[j]), steep = std::min(s, t);
    if (steep <= steepest) continue;
    const double x = first / s, y = second / t, distance = (x + y) / 2;
    if (std::max(x, y) > max_slide * std::max(first, second) || std::abs(x - y) > max_unlike * distance) continue;
    if (distance > max_share_of_smooth * task_.sections[half(span.first + j) / 2].length) continue;
    best = j, steepest = steep, slide = distance;
  }
  if (best > 0) return {on_edge(half(span.first + best), slide)};
  double at = whole / 2, distance = (first + second) / 2;
  if (std::abs(std::sin(whole)) > straight_sine) {
    at = std::atan2(first * std::sin(whole), second + first * std::cos(whole));
    if (at < 0) at += std::numbers::pi;
    distance = std::sin(at) > 1e-9 ? first / std::sin(at) : first + second;
  }
  std::size_t j = 0;
  while (j < span.edges && angle[j + 1] <= at) ++j;
  const double turned = at - angle[j];
  const Vec3 way = way_within(span.first + j, span.first + j), across = normal(span.first + j).cross(way);
  return {reach(span.first + j, std::cos(turned) * way + std::sin(turned) * across, distance)};
}

}  // namespace anvil
