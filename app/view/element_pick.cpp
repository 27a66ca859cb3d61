// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/element_pick.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace anvil::app {
namespace {

constexpr double same_depth = 1e-3;  // share of the distance within which a point counts as lying on what the ray hits

double distance(const QPointF& a, const QPointF& b) { return std::hypot(a.x() - b.x(), a.y() - b.y()); }

/// Of a pixel from a stretch, and how far along the nearest point of that lies.
std::pair<double, double> distance_from(const QPointF& pixel, const QPointF& a, const QPointF& b) {
  const QPointF along = b - a;
  const double square = QPointF::dotProduct(along, along);
  const double share = square > 0 ? std::clamp(QPointF::dotProduct(pixel - a, along) / square, 0.0, 1.0) : 0;
  return {distance(pixel, a + share * along), share};
}

}  // namespace

bool is_seen(const Evaluated& evaluated, const Affine& world, const Picture& picture, const Vec3& point, double depth) {
  QPointF pixel;
  if (!picture.at(world * point, pixel)) return false;
  if (!evaluated.drawable->tree) return true;  // nothing hides what is behind points
  const Ray ray = picture.camera.ray(pixel - picture.area.topLeft(), picture.area.size());
  const double distance = (world * point - ray.origin).dot(ray.direction);
  const Affine own = world.inverse();
  const Drawable& drawable = *evaluated.drawable;
  const auto hit = drawable.tree->nearest_hit(evaluated.mesh->positions, drawable.triangle_list.triangles, own * ray.origin, own.linear() * ray.direction);
  return !hit || hit->distance >= distance - std::max(depth, same_depth * picture.camera.distance);
}

ElementView::ElementView(const Evaluated& evaluated, const Topology& topology, const Affine& world, const Picture& picture, bool through)
    : evaluated_(evaluated), mesh_(*evaluated.mesh), topology_(topology), world_(world), own_(world.inverse()), picture_(picture), through_(through) {}

const std::vector<QPointF>& ElementView::pixels() const {
  if (!pixels_.empty()) return pixels_;
  pixels_.resize(mesh_.positions.size());
  const Projector project(picture_.camera, world_, picture_.area.size());
  tbb::parallel_for(tbb::blocked_range<std::size_t>(0, pixels_.size(), 4096), [&](const auto& range) {
    for (std::size_t v = range.begin(); v < range.end(); ++v)
      pixels_[v] = project(mesh_.positions[v], pixels_[v]) ? pixels_[v] + picture_.area.topLeft() : QPointF(std::nan(""), std::nan(""));
  });
  return pixels_;
}

bool ElementView::is_visible(ElementKind kind, Index element) const {
  if (through_) return true;
  const std::vector<Index> corners = vertices_of(mesh_, topology_, kind, element);
  const Vec3 middle = place_of(mesh_, topology_, kind, element);
  if (kind == ElementKind::vertices) return is_visible(middle);
  // Somewhere between a corner and the middle is not on an outline, where rays go past.
  if (is_visible(middle)) return true;
  return std::any_of(corners.begin(), corners.end(), [&](Index v) { return is_visible(0.1 * middle + 0.9 * mesh_.positions[v]); });
}

std::optional<Index> ElementView::at(ElementKind kind, const QPointF& pixel) const {
  if (kind == ElementKind::faces) {
    const Ray ray = picture_.camera.ray(pixel - picture_.area.topLeft(), picture_.area.size());
    const Drawable& drawable = *evaluated_.drawable;
    if (!drawable.tree) return std::nullopt;
    const auto hit = drawable.tree->nearest_hit(mesh_.positions, drawable.triangle_list.triangles, own_ * ray.origin, own_.linear() * ray.direction);
    if (!hit) return std::nullopt;
    return drawable.triangle_list.face[hit->triangle];
  }
  // By distance in the picture, those that are seen first; of several at one pixel the nearest to the eye.
  struct Candidate {
    double distance, depth;
    Index element;
    Vec3 point;
  };
  std::vector<Candidate> near;
  const Vec3 eye = picture_.camera.eye(), forward = picture_.camera.forward();
  const auto consider = [&](double away, const Vec3& point, Index element) {
    if (away <= catch_pixels) near.push_back({away, (world_ * point - eye).dot(forward), element, point});
  };
  // Most are nowhere near, which two comparisons tell.
  const auto beside = [](double a, double b, double at) { return std::min(a, b) > at + catch_pixels || std::max(a, b) < at - catch_pixels; };
  if (kind == ElementKind::vertices) {
    for (Index v = 0; v < pixels().size(); ++v) {
      const QPointF& at = pixels_[v];
      if (!beside(at.x(), at.x(), pixel.x()) && !beside(at.y(), at.y(), pixel.y())) consider(distance(at, pixel), mesh_.positions[v], v);
    }
  } else {
    for (Index e = 0; e < topology_.edges.size(); ++e) {
      const auto [v, w] = topology_.edges.vertices[e];
      const QPointF &from = pixels()[v], &to = pixels_[w];
      if (beside(from.x(), to.x(), pixel.x()) || beside(from.y(), to.y(), pixel.y())) continue;
      const auto [away, share] = distance_from(pixel, pixels()[v], pixels()[w]);
      consider(away, mesh_.positions[v] + share * (mesh_.positions[w] - mesh_.positions[v]), e);
    }
  }
  std::sort(near.begin(), near.end(), [](const Candidate& a, const Candidate& b) {
    const double x = std::round(a.distance), y = std::round(b.distance);
    return x != y ? x < y : a.depth != b.depth ? a.depth < b.depth : a.element < b.element;
  });
  for (const Candidate& c : near)
    if (through_ || is_visible(c.point)) return c.element;
  return std::nullopt;
}

std::vector<Index> ElementView::inside(ElementKind kind, const QPolygonF& region) const {
  const QRectF box = region.boundingRect();
  std::vector<char> in(pixels().size());
  for (std::size_t v = 0; v < in.size(); ++v) in[v] = box.contains(pixels()[v]) && region.containsPoint(pixels()[v], Qt::OddEvenFill);
  std::vector<char> is_inside(topology_.count(mesh_, kind), 0);
  tbb::parallel_for(tbb::blocked_range<Index>(0, static_cast<Index>(is_inside.size()), 1024), [&](const auto& range) {
    for (Index e = range.begin(); e < range.end(); ++e) {
      const bool all = kind == ElementKind::vertices ? in[e] != 0
                       : kind == ElementKind::edges  ? in[topology_.edges.vertices[e][0]] && in[topology_.edges.vertices[e][1]]
                                                     : std::all_of(mesh_.face(e).begin(), mesh_.face(e).end(), [&](Index v) { return in[v] != 0; });
      is_inside[e] = all && is_visible(kind, e);
    }
  });
  std::vector<Index> found;
  for (Index e = 0; e < is_inside.size(); ++e)
    if (is_inside[e]) found.push_back(e);
  return found;
}

std::vector<Index> ElementView::touched(ElementKind kind, const QPointF& pixel, double radius) const {
  std::vector<Index> found;
  if (kind == ElementKind::faces)
    if (const auto under = at(kind, pixel)) found.push_back(*under);
  for (Index e = 0; e < topology_.count(mesh_, kind); ++e) {
    double away = std::numeric_limits<double>::infinity();
    if (kind == ElementKind::vertices) {
      away = distance(pixels()[e], pixel);
    } else if (kind == ElementKind::edges) {
      away = distance_from(pixel, pixels()[topology_.edges.vertices[e][0]], pixels()[topology_.edges.vertices[e][1]]).first;
    } else {
      QPointF sum;
      for (Index v : mesh_.face(e)) sum += pixels()[v] / static_cast<double>(mesh_.face(e).size());
      away = distance(sum, pixel);
    }
    if (away <= radius && (found.empty() || found[0] != e) && is_visible(kind, e)) found.push_back(e);
  }
  return found;
}

}  // namespace anvil::app
