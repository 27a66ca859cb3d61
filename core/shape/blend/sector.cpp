// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/sector.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvil {
namespace {

constexpr double pi = std::numbers::pi;
constexpr double sharp_turn = 0.44;     // radians: trim lines end on sharper edges, and run across others
constexpr double least_sine = 0.25;     // a finished and another edge that part so little: the strip ends straight across instead of sliding far along
constexpr double straight_sine = 1e-3;  // two edges so nearly in line have their offset lines meet beside the vertex
constexpr double max_slide = 2.5;       // times the width: a smooth edge that leaves so flat is no place for a section
constexpr double max_unlike = 0.35;     // by how much what two edges ask for on a smooth edge may differ
constexpr double max_share_of_smooth = 0.9;        // of a smooth edge
constexpr Index small_facet = 64;       // halves: whether a point lies within is looked at; in larger ones crossing trim lines tell
constexpr double least_volume = 1e-6;  // of planes with normals of length 1: below it they have no one point in common
constexpr double in_plane = 1e-9;       // of the size of a corner
constexpr double square_end = 0.05;     // cosine: a face so nearly along an edge cannot end its strip

}  // namespace

bool runs_out(const BlendTask& task, Index cell) {
  const auto& out = task.graph.cells[cell].out;
  const auto finished = std::count_if(out.begin(), out.end(), [&](Index h) { return task.chosen[h / 2] != 0; });
  return finished == 1 && std::all_of(out.begin(), out.end(), [&](Index h) { return task.chosen[h / 2] != 0 || task.turn[h / 2] < sharp_turn; });
}

SectorSolver::SectorSolver(StripLayout& layout, Index cell)
    : layout_(layout), task_(layout.task()), graph_(task_.graph), cell_(cell), out_(graph_.cells[cell].out), vertex_(task_.vertex_of(cell)) {
  for (std::size_t i = 0; i < out_.size(); ++i) {
    if (!layout_.is_finished(out_[i])) continue;
    Span span{i, 0};
    while (span.edges + 1 < out_.size() && !layout_.is_finished(half(i + span.edges + 1))) ++span.edges;
    spans_.push_back(span);
  }
}

void SectorSolver::solve() {
  for (const Span& span : spans_) layout_.sector[half(span.first)] = lay(span);
  const std::size_t odd = odd_one();
  std::vector<std::vector<Vec3>> grid;
  if (odd < 3) grid = lead_over(odd);
  make_profiles();
  if (odd < 3) fill_lead(odd, grid);
  if (spans_.size() == 1) follow_end_face(spans_[0]);
  for (const Span& span : spans_) {
    std::vector<Index> line;
    auto& points = layout_.sector[half(span.first)];
    for (std::size_t k = 0; k + 1 < points.size(); ++k) layout_.connect(points[k], points[k + 1], normal(span.first), no_index, {cell_, cell_}, line);
    if (points.size() > 1) points = line;
  }
}

bool SectorSolver::is_sharp(std::size_t i) const { return task_.turn[half(i) / 2] >= sharp_turn; }

/// Between a half and the one that follows, within their facet.
double SectorSolver::angle_between(std::size_t i) const {
  const Vec3 a = task_.way(half(i)), b = task_.way(half(i + 1));
  const double angle = std::atan2(normal(i).dot(a.cross(b)), a.dot(b));
  return angle < 0 ? angle + 2 * pi : angle;
}

std::vector<Index> SectorSolver::lay(const Span& span) {
  if (span.edges == 0) return meet_in_facet(span.first);
  std::vector<std::size_t> sharp;
  for (std::size_t j = 1; j <= span.edges; ++j)
    if (is_sharp(span.first + j)) sharp.push_back(j);
  return sharp.empty() ? across_smooth(span) : slide_on_sharp(span, sharp);
}

std::vector<Index> SectorSolver::meet_in_facet(std::size_t i) {
  const Vec3 a = task_.way(half(i)), b = task_.way(half(i + 1)), &n = normal(i);
  const double first = layout_.left_width(half(i)), second = layout_.right_width(half(i + 1)), sine = n.dot(a.cross(b));
  const Vec3 off = std::abs(sine) > straight_sine ? Vec3(second / sine * a + first / sine * b) : Vec3((first * n.cross(a) + second * b.cross(n)) / 2);
  return {reach(i, off.stableNormalized(), off.norm())};
}

/// A point on the surface, straight on from the vertex into the facet behind half i.
Index SectorSolver::reach(std::size_t i, const Vec3& direction, double length) {
  SurfacePoint p{SurfacePoint::On::facet, facet(i), 0, vertex_ + length * direction};
  if (graph_.facets[facet(i)].size <= small_facet) {
    const auto reached = layout_.walk_.go(cell_, facet(i), direction, length);
    if (!reached)
      layout_.blamed.insert(cell_);
    else if (reached->on != SurfacePoint::On::facet || reached->where != facet(i))
      p = *reached;
  }
  return layout_.add(p, cell_);
}

Index SectorSolver::on_edge(Index half, double distance) {
  if (distance <= 0) return graph_.cells[cell_].vertex;
  const double length = task_.sections[half / 2].length;
  return layout_.add({SurfacePoint::On::edge, half / 2, half & 1 ? length - distance : distance, vertex_ + distance * task_.way(half)}, cell_);
}

/// Straight across the end of a finished edge, where its strip ends in a wall.
Index SectorSolver::beside(std::size_t i, bool left) {
  const Vec3 way = task_.way(half(i));
  if (left) return layout_.add({SurfacePoint::On::facet, facet(i), 0, vertex_ + layout_.left_width(half(i)) * normal(i).cross(way)}, cell_);
  const std::size_t before = i + out_.size() - 1;
  return layout_.add({SurfacePoint::On::facet, facet(before), 0, vertex_ + layout_.right_width(half(i)) * way.cross(normal(before))}, cell_);
}

std::vector<Index> SectorSolver::slide_on_sharp(const Span& span, const std::vector<std::size_t>& sharp) {
  double first_angle = 0, last_angle = 0;
  for (std::size_t j = 0; j < sharp.front(); ++j) first_angle += angle_between(span.first + j);
  for (std::size_t j = sharp.back(); j <= span.edges; ++j) last_angle += angle_between(span.first + j);
  const std::size_t last = span.first + span.edges + 1;
  const auto slide = [](double width, double angle) { return std::sin(angle) > least_sine || (std::cos(angle) > 0 && std::sin(angle) > 0.02) ? width / std::sin(angle) : 0; };
  double first = slide(layout_.left_width(half(span.first)), first_angle), second = slide(layout_.right_width(half(last)), last_angle);
  if (sharp.size() == 1) first = second = first > 0 && second > 0 ? (first + second) / 2 : 0;
  std::vector<Index> points;
  if (second == 0) points.push_back(beside(last, false));
  for (std::size_t k = sharp.size(); k-- > 0;) {
    const double x = sharp.size() > 1 ? static_cast<double>(k) / static_cast<double>(sharp.size() - 1) : 0;
    const double distance = first > 0 && second > 0 ? (1 - x) * first + x * second : k == 0 ? first : k + 1 == sharp.size() ? second : 0;
    const Index p = on_edge(half(span.first + sharp[k]), distance);
    if (points.empty() || points.back() != p) points.push_back(p);
  }
  if (first == 0) points.push_back(beside(span.first, true));
  return points;
}

/// No sharp edge between: on a smooth one that stands across, or where a straight way over the surface has the widths from both edges.
std::vector<Index> SectorSolver::across_smooth(const Span& span) {
  const Index a = half(span.first), b = half(span.first + span.edges + 1);
  const double first = layout_.left_width(a), second = layout_.right_width(b);
  std::vector<double> angle(span.edges + 2, 0);
  for (std::size_t j = 0; j <= span.edges; ++j) angle[j + 1] = angle[j] + angle_between(span.first + j);
  const double whole = angle.back();
  std::size_t best = 0;
  double steepest = 0, slide = 0;
  for (std::size_t j = 1; j <= span.edges; ++j) {
    if (angle[j] >= pi || whole - angle[j] >= pi) continue;
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
    if (at < 0) at += pi;
    distance = std::sin(at) > 1e-9 ? first / std::sin(at) : first + second;
  }
  std::size_t j = 0;
  while (j < span.edges && angle[j + 1] <= at) ++j;
  const double turned = at - angle[j];
  const Vec3 way = task_.way(half(span.first + j)), across = normal(span.first + j).cross(way);
  return {reach(span.first + j, std::cos(turned) * way + std::sin(turned) * across, distance)};
}

// Profiles ------------------------------------------------------------------------------------------------------

void SectorSolver::make_profiles() {
  const auto is_mitre = [&] {
    if (spans_.size() != 2) return false;
    const Index a = half(spans_[0].first), b = half(spans_[1].first);
    const auto &s = layout_.sector[a], &t = layout_.sector[b];
    return task_.sections[a / 2].convex == task_.sections[b / 2].convex && s.front() == s.back() && t.front() == t.back();
  };
  if (is_mitre()) {
    const std::size_t i = spans_[0].first, j = spans_[1].first;
    layout_.profile[half(i)] = outline(i, j);
    auto& other = layout_.profile[half(j)] = layout_.profile[half(i)];
    std::reverse(other.begin(), other.end());
    return;
  }
  for (const Span& span : spans_) layout_.profile[half(span.first)] = outline(span.first, span.first);
  if (!task_.settings.round && spans_.size() == 3) meet_in_point();
}

/// Three chamfers end in the point in which their planes meet, if it lies between them.
bool SectorSolver::meet_in_point() {
  Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
  Vec3 sums = Vec3::Zero();
  std::vector<Vec3> normals;
  double size = 0;
  for (const Span& span : spans_) {
    const auto& line = layout_.profile[half(span.first)];
    const Vec3 left = layout_.at(line.front()) - vertex_, right = layout_.at(line.back()) - vertex_, n = task_.way(half(span.first)).cross(right - left).stableNormalized();
    normals.push_back(n);
    squares += n * n.transpose();
    sums += n.dot(left) * n;
    size = std::max({size, left.norm(), right.norm()});
  }
  if (std::abs(squares.determinant()) < least_volume) return false;
  const Vec3 point = squares.inverse() * sums;
  for (std::size_t k = 0; k < spans_.size(); ++k) {
    const auto& line = layout_.profile[half(spans_[k].first)];
    const Vec3 left = layout_.at(line.front()) - vertex_, right = layout_.at(line.back()) - vertex_, way = task_.way(half(spans_[k].first)), across = (right - left) - way.dot(right - left) * way;
    // In all planes, before both ends of the outline, and between them.
    if (std::abs(normals[k].dot(point - left)) > in_plane * size || way.dot(point - left) > 0 || way.dot(point - right) > 0) return false;
    if (across.dot(point - left) <= 0 || across.dot(point - right) >= 0) return false;
  }
  const Index p = layout_.add_point(vertex_ + point, cell_);
  for (const Span& span : spans_) {
    auto& line = layout_.profile[half(span.first)];
    line.insert(line.begin() + 1, p);
  }
  return true;
}

/// The outline of the strip of half i, from its left to its right: shared with that of another half in the plane between, or across its own edge.
std::vector<Index> SectorSolver::outline(std::size_t i, std::size_t mitred_with) {
  const Index h = half(i);
  std::size_t before = 0;
  while (spans_[before].first != i) ++before;
  before = (before + spans_.size() - 1) % spans_.size();
  const Index left = layout_.sector[h].back(), right = layout_.sector[half(spans_[before].first)].front();
  std::vector<ProfilePoint> points = profile(task_.sections[h / 2].corner, task_.settings);
  if (mitred_with != i) {
    const std::vector<ProfilePoint> other = profile(task_.sections[half(mitred_with) / 2].corner, task_.settings);
    for (std::size_t k = 0; k < points.size(); ++k) {
      const ProfilePoint& q = other[other.size() - 1 - k];
      points[k] = {(points[k].left + q.right) / 2, (points[k].right + q.left) / 2};
    }
  }
  const Vec3 l = layout_.at(left) - vertex_, r = layout_.at(right) - vertex_, way = task_.way(h);
  std::vector<Index> line{left};
  for (std::size_t k = 1; k + 1 < points.size(); ++k) {
    const auto& [x, y] = points[k];
    Vec3 p = x * l + y * r;
    if (mitred_with == i) {
      // How far along the edge goes evenly from the one end to the other.
      const double tl = l.dot(way), tr = r.dot(way), share = x / (x + y);
      p = x * (l - tl * way) + y * (r - tr * way) + (share * tl + (1 - share) * tr) * way;
    }
    line.push_back(layout_.add_point(vertex_ + p, cell_));
  }
  line.push_back(right);
  return line;
}

/// A single edge that ends at one face: the outline lies in it.
void SectorSolver::follow_end_face(const Span& span) {
  const Index h = half(span.first);
  auto& sector = layout_.sector[h];
  auto& line = layout_.profile[h];
  if (line.size() < 3 || span.edges != 2 || sector.size() != 2 || sector[0] < task_.mesh.positions.size() || sector[1] < task_.mesh.positions.size()) return;
  const Vec3 &n = normal(span.first + 1), way = task_.way(h);
  if (std::abs(n.dot(way)) < square_end) return;
  for (std::size_t k = 1; k + 1 < line.size(); ++k) {
    SurfacePoint& p = layout_.points_[line[k] - task_.mesh.positions.size()];
    p.at -= n.dot(p.at - vertex_) / n.dot(way) * way;
    p.where = facet(span.first + 1);
  }
  sector = line;
  std::reverse(sector.begin(), sector.end());
}

}  // namespace anvil
