// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/shape/blend/cell_layout.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

namespace anvil {
namespace {

constexpr double least_volume = 1e-6;  // of planes with normals of length 1: below it they have no one point in common
constexpr double in_plane = 1e-9;      // of the size of a corner
constexpr double least_area = 1e-3;    // of a border about a corner, of the square of its size: below it there is nothing to cover
constexpr double wrong_way = 1e-6;     // of the size of a corner
constexpr double square_end = 0.05;    // cosine: a face so nearly along an edge cannot end its strip

}  // namespace

CellLayout::CellLayout(StripLayout& layout, Index cell)
    : layout_(layout), ends_(layout.ends()), task_(ends_.task()), graph_(task_.graph), cell_(cell), out_(graph_.cells[cell].out), vertex_(task_.vertex_of(cell)), spans_(spans_of(ends_, cell)) {}

void CellLayout::lay_out() {
  for (const Span& span : spans_) {
    auto& points = layout_.sector[half(span.first)];
    points.clear();
    for (const SurfacePoint& p : ends_.sector(half(span.first))) points.push_back(layout_.add(p, cell_));
  }
  const std::size_t odd = odd_one();
  if (odd < 3) layout_.led_over[cell_] = {half(odd), lead_over(odd)};
  make_profiles();
  if (spans_.size() == 1) follow_end_face(spans_[0]);
  for (const Span& span : spans_) {
    // Where the surface bends away the ends of a strip may lie beyond the edge.
    const CrossSection section = ends_.section(half(span.first));
    const auto& outline = layout_.profile[half(span.first)];
    if ((layout_.at(outline.front()) + layout_.at(outline.back()) - 2 * vertex_).dot(section.left + section.right) < 0) layout_.blamed.insert(cell_);
    std::vector<Index> line;
    auto& points = layout_.sector[half(span.first)];
    for (std::size_t k = 0; k + 1 < points.size(); ++k) layout_.connect(points[k], points[k + 1], normal(span.first), no_index, {cell_, cell_}, line);
    if (points.size() > 1) points = line;
  }
  if (cuts_the_wrong_way()) layout_.blamed.insert(cell_);
}

/// Where all edges are of one kind: does what covers the cell leave the vertex of concave ones outside of the part, or that of convex ones inside? So it is at a spike that a concave edge runs up to.
bool CellLayout::cuts_the_wrong_way() const {
  const bool convex = ends_.section(half(spans_[0].first)).convex;
  std::vector<Vec3> border;
  for (const Span& span : spans_) {
    const Index h = half(span.first);
    if (ends_.section(h).convex != convex) return false;
    const auto& sector = layout_.sector[h];
    for (auto it = sector.rbegin(); it != sector.rend(); ++it) border.push_back(layout_.at(*it) - vertex_);
  }
  Vec3 normal = Vec3::Zero(), middle = Vec3::Zero();
  double size = 0;
  for (std::size_t k = 0; k < border.size(); ++k) {
    normal += border[k].cross(border[(k + 1) % border.size()]);
    middle += border[k] / static_cast<double>(border.size());
    size = std::max(size, border[k].norm());
  }
  if (normal.norm() < least_area * size * size) return false;
  const double beyond = -middle.dot(normal.normalized());
  return convex ? beyond < -wrong_way * size : beyond > wrong_way * size;
}

void CellLayout::make_profiles() {
  const auto is_mitre = [&] {
    if (spans_.size() != 2) return false;
    const Index a = half(spans_[0].first), b = half(spans_[1].first);
    const auto &s = layout_.sector[a], &t = layout_.sector[b];
    return ends_.section(a).convex == ends_.section(b).convex && s.front() == s.back() && t.front() == t.back();
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
bool CellLayout::meet_in_point() {
  Eigen::Matrix3d squares = Eigen::Matrix3d::Zero();
  Vec3 sums = Vec3::Zero();
  std::vector<Vec3> normals;
  double size = 0;
  for (const Span& span : spans_) {
    const auto& line = layout_.profile[half(span.first)];
    const Vec3 left = layout_.at(line.front()) - vertex_, right = layout_.at(line.back()) - vertex_, n = ends_.way(half(span.first)).cross(right - left).stableNormalized();
    normals.push_back(n);
    squares += n * n.transpose();
    sums += n.dot(left) * n;
    size = std::max({size, left.norm(), right.norm()});
  }
  if (std::abs(squares.determinant()) < least_volume) return false;
  const Vec3 point = squares.inverse() * sums;
  for (std::size_t k = 0; k < spans_.size(); ++k) {
    const auto& line = layout_.profile[half(spans_[k].first)];
    const Vec3 left = layout_.at(line.front()) - vertex_, right = layout_.at(line.back()) - vertex_, way = ends_.way(half(spans_[k].first)), across = (right - left) - way.dot(right - left) * way;
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
std::vector<Index> CellLayout::outline(std::size_t i, std::size_t mitred_with) {
  const Index h = half(i);
  const Index left = layout_.sector[h].back(), right = layout_.sector[ends_.before(h)].front();
  std::vector<ProfilePoint> points = profile(ends_.section(h).corner, task_.settings);
  if (mitred_with != i) {
    const std::vector<ProfilePoint> other = profile(ends_.section(half(mitred_with)).corner, task_.settings);
    for (std::size_t k = 0; k < points.size(); ++k) {
      const ProfilePoint& q = other[other.size() - 1 - k];
      points[k] = {(points[k].left + q.right) / 2, (points[k].right + q.left) / 2};
    }
  }
  const Vec3 l = layout_.at(left) - vertex_, r = layout_.at(right) - vertex_, way = ends_.way(h);
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
void CellLayout::follow_end_face(const Span& span) {
  const Index h = half(span.first);
  auto& sector = layout_.sector[h];
  auto& line = layout_.profile[h];
  if (line.size() < 3 || span.edges != 2 || sector.size() != 2 || sector[0] < task_.mesh.positions.size() || sector[1] < task_.mesh.positions.size()) return;
  const Vec3 &n = normal(span.first + 1), way = ends_.way(h);
  if (std::abs(n.dot(way)) < square_end) return;
  for (std::size_t k = 1; k + 1 < line.size(); ++k) {
    SurfacePoint& p = layout_.point(line[k]);
    p.at -= n.dot(p.at - vertex_) / n.dot(way) * way;
    p.where = facet(span.first + 1);
  }
  sector = line;
  std::reverse(sector.begin(), sector.end());
}

}  // namespace anvil
