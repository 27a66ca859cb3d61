// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/outline_draw.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "app/theme.h"
#include "app/view/overlay.h"

namespace anvil::app {
namespace {

QString tr(const char* text) { return QObject::tr(text); }

/// @param rises  of the pieces that begin at the first points; the others are straight
Outline polygon_of(const std::vector<Vec2>& points, const std::vector<double>& rises = {}) {
  OutlineLoop loop;
  for (std::size_t k = 0; k < points.size(); ++k) {
    const double rise = k < rises.size() ? rises[k] : 0;
    // Of a point that was clicked twice, the piece that goes on.
    if (!loop.empty() && points[k] == loop.back().at)
      loop.back().rise = rise;
    else
      loop.push_back({points[k], rise});
  }
  while (loop.size() > 1 && loop.back().at == loop.front().at) loop.pop_back();
  return {loop};
}

}  // namespace

void OutlineDraw::begin(const At& at) {
  const Camera& camera = at.camera;
  PlaneFrame frame;
  if (plane_ == DrawPlane::surface) {
    frame.normal = at.under ? at.normal : Vec3(Vec3::UnitZ());
    // Level on whatever leans.
    frame.u = std::abs(frame.normal.z()) > 0.99 ? Vec3(Vec3::UnitX() - frame.normal.x() * frame.normal).normalized() : Vec3(Vec3::UnitZ().cross(frame.normal)).normalized();
    frame.v = frame.normal.cross(frame.u);
    frame.origin = at.under ? Vec3(at.under->dot(frame.normal) * frame.normal) : Vec3(Vec3::Zero());
    if (const auto hit = on_plane(camera.ray(at.pixel, at.size), frame.origin, frame.normal)) {
      frame_ = frame;
      reach_ = camera.pixel_length(*hit, at.size) * std::max(at.size.width(), at.size.height());
    }
    return;
  }
  frame.normal = -camera.forward();
  frame.u = camera.right();
  frame.v = camera.up();
  // Through the part under the pointer, so that what is drawn there is as large as it looks.
  frame.origin = at.under.value_or(camera.focus);
  eye_ = camera.parallel ? 0 : frame.height(camera.eye());
  // In perspective the lines of sight meet before the middle of the picture.
  if (eye_ > 0) frame.origin = camera.eye() - eye_ * frame.normal;
  frame_ = frame;
  reach_ = camera.pixel_length(frame.origin, at.size) * std::max(at.size.width(), at.size.height());
}

Vec2 OutlineDraw::in_plane(const At& at) const {
  Ray ray = at.camera.ray(at.pixel, at.size);
  if (at.caught) {
    const Vec3 eye = eye_ > 0 ? Vec3(frame_->origin + eye_ * frame_->normal) : Vec3(*at.caught + frame_->normal);
    ray = {eye, (*at.caught - eye).normalized()};
  }
  const auto hit = on_plane(ray, frame_->origin, frame_->normal);
  Vec2 p = hit ? frame_->of(*hit) : now_;
  if (!at.caught && at.grid > 0) p = Vec2(std::round(p.x() / at.grid), std::round(p.y() / at.grid)) * at.grid;
  if (at.even && !points_.empty()) {
    Vec2 off = p - points_.back();
    if (kind_ == DrawKind::rectangle) {
      const double side = off.cwiseAbs().maxCoeff();
      off = Vec2(off.x() < 0 ? -side : side, off.y() < 0 ? -side : side);
    } else if (std::abs(off.x()) > std::abs(off.y())) {
      off.y() = 0;
    } else {
      off.x() = 0;
    }
    p = points_.back() + off;
  }
  return p;
}

bool OutlineDraw::press(const At& at) {
  if (!frame_) begin(at);
  if (!frame_) return false;
  now_ = in_plane(at);
  if (std::exchange(bowing_, false)) return false;
  if (kind_ == DrawKind::polygon && points_.size() > 2 && (now_ - points_.front()).norm() < 0.012 * reach_) return complete();
  if (kind_ == DrawKind::line && points_.size() == 2) return complete();
  if ((kind_ == DrawKind::rectangle || kind_ == DrawKind::circle) && points_.size() == 1) return complete();
  points_.push_back(now_);
  return false;
}

double OutlineDraw::off_last_piece(const Vec2& p) const {
  const Vec2 &a = points_[points_.size() - 2], &b = points_.back(), way = (b - a).normalized();
  return Vec2(way.y(), -way.x()).dot(p - (a + b) / 2);
}

void OutlineDraw::bow() {
  if (kind_ != DrawKind::polygon || points_.size() < 2) return;
  bowing_ = true;
  rises_.resize(points_.size(), 0);
}

void OutlineDraw::move(const At& at) {
  if (!frame_) return;
  now_ = in_plane(at);
  if (bowing_) rises_[points_.size() - 2] = off_last_piece(now_);
  if (kind_ == DrawKind::free && !points_.empty() && (now_ - points_.back()).norm() > 0.004 * reach_) points_.push_back(now_);
}

/// What is drawn by dragging ends when the button is let go; after a mere click the next one ends it.
bool OutlineDraw::release(const At& at) {
  if (!frame_ || points_.empty() || bowing_) return false;
  now_ = in_plane(at);
  const bool dragged = (now_ - points_.back()).norm() > 0.01 * reach_;
  if (kind_ == DrawKind::free) return points_.size() > 2 && complete();
  if (kind_ == DrawKind::line && points_.size() == 1 && dragged) points_.push_back(now_);
  if ((kind_ == DrawKind::rectangle || kind_ == DrawKind::circle) && dragged) return complete();
  return false;
}

bool OutlineDraw::take_size(const std::string& typed) {
  if (!frame_ || points_.empty()) return false;
  const auto cross = typed.find('x');
  const Result<double> first = parse_sum(typed.substr(0, cross), true), second = cross == std::string::npos ? first : parse_sum(typed.substr(cross + 1), true);
  if (!first || !second || !(*first > 0) || !(*second > 0)) return false;
  if (std::exchange(bowing_, false)) {
    double& rise = rises_[points_.size() - 2];
    rise = rise < 0 ? -*first : *first;
    return false;
  }
  const Vec2 off = now_ - points_.back();
  if (kind_ == DrawKind::rectangle) {
    now_ = points_.back() + Vec2(off.x() < 0 ? -*first : *first, off.y() < 0 ? -*second : *second);
    return complete();
  }
  const Vec2 way = off.norm() > 0 ? Vec2(off.normalized()) : Vec2(1, 0);
  if (kind_ == DrawKind::circle) {
    now_ = points_.back() + *first / 2 * way;
    return complete();
  }
  if (kind_ == DrawKind::line && points_.size() > 1) return false;
  now_ = points_.back() + *first * way;
  points_.push_back(now_);
  return false;
}

bool OutlineDraw::finish() {
  bowing_ = false;
  if (plane_ == DrawPlane::surface && points_.empty()) {
    drawn_ = {kind_, {}, 0, {}};
    return true;
  }
  return kind_ == DrawKind::polygon && points_.size() > 1 && complete();
}

void OutlineDraw::take_back() {
  if (bowing_) {
    bowing_ = false;
    rises_[points_.size() - 2] = 0;
    return;
  }
  if (!points_.empty()) points_.pop_back();
  if (!points_.empty() && rises_.size() >= points_.size()) rises_.resize(points_.size() - 1);
  if (points_.empty()) frame_.reset();
}

Outline OutlineDraw::outline() const {
  if (points_.empty()) return {};
  const Vec2& first = points_.front();
  if (kind_ == DrawKind::rectangle) {
    const Vec2 low = first.cwiseMin(now_), high = first.cwiseMax(now_);
    return polygon_of({low, Vec2(high.x(), low.y()), high, Vec2(low.x(), high.y())});
  }
  if (kind_ == DrawKind::circle) {
    // Four quarter arcs.
    const double r = (now_ - first).norm(), rise = r * (1 - std::sqrt(0.5));
    return {{{first + Vec2(r, 0), rise}, {first + Vec2(0, r), rise}, {first + Vec2(-r, 0), rise}, {first + Vec2(0, -r), rise}}};
  }
  if (kind_ == DrawKind::line) {
    const Vec2 second = points_.size() > 1 ? points_[1] : now_;
    return {{{first, 0}, {second, 0}, {now_, 0}}};
  }
  std::vector<Vec2> points = points_;
  if (kind_ == DrawKind::polygon && !bowing_) points.push_back(now_);
  return polygon_of(points, rises_);
}

bool OutlineDraw::complete() {
  drawn_ = {kind_, *frame_, eye_, {}};
  if (kind_ == DrawKind::polygon)
    drawn_.outline = polygon_of(points_, rises_);
  else
    drawn_.outline = outline();
  // Counter-clockwise, as it is read.
  if (kind_ != DrawKind::line && kind_ != DrawKind::circle) {
    double twice = 0;
    OutlineLoop& loop = drawn_.outline[0];
    for (std::size_t k = 0; k < loop.size(); ++k) {
      const Vec2 &a = loop[k].at, &b = loop[(k + 1) % loop.size()].at;
      twice += a.x() * b.y() - a.y() * b.x();
    }
    if (twice < 0) {
      std::reverse(loop.begin(), loop.end());
      // A piece belongs to the point at its other end now, and what lay right of it lies left.
      const double last = loop.front().rise;
      for (std::size_t k = 0; k + 1 < loop.size(); ++k) loop[k].rise = -loop[k + 1].rise;
      loop.back().rise = -last;
    }
  }
  const OutlineLoop& loop = drawn_.outline[0];
  if (kind_ == DrawKind::line) {
    const Vec2 along = loop[1].at - loop[0].at, off = loop[2].at - loop[0].at;
    return along.norm() > 0 && std::abs(along.x() * off.y() - along.y() * off.x()) > 0;
  }
  // As a step will read it.
  return parse_outline(to_text(drawn_.outline)).ok();
}

void OutlineDraw::paint(QPainter& painter, const std::function<bool(const Vec3&, QPointF&)>& to_pixel) const {
  if (!frame_ || points_.empty()) return;
  const auto to_polygon = [&](const Loop2& loop) {
    QPolygonF polygon;
    for (const Vec2& p : loop)
      if (QPointF at; to_pixel(frame_->at(p), at)) polygon << at;
    return polygon;
  };
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  QColor wash = plane_ == DrawPlane::surface ? theme::selection : theme::operation_tint(Operation::difference);
  wash.setAlpha(46);
  QString told;
  if (kind_ == DrawKind::line) {
    const Vec2 a = points_[0], b = points_.size() > 1 ? points_[1] : now_;
    if ((b - a).norm() > 0) {
      const Vec2 along = (b - a).normalized(), across(-along.y(), along.x());
      const double side = points_.size() > 1 && (now_ - a).dot(across) < 0 ? -1 : 1, far = 4 * reach_;
      if (points_.size() > 1) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(wash);
        painter.drawPolygon(to_polygon({a - far * along, a + far * along, a + far * along + side * far * across, a - far * along + side * far * across}));
        if (QPointF at; to_pixel(frame_->at(now_), at)) halo_text(painter, at + QPointF(0, -18), tr("this side goes"), theme::operation_tint(Operation::difference));
      }
      stroke(painter, to_polygon({a - far * along, a + far * along}), theme::selection, 1.6);
    }
    told = QStringLiteral("%1 mm").arg((b - a).norm(), 0, 'f', 1);
  } else {
    const Outline drawn = outline();
    if (drawn[0].size() > 1) {
      QPolygonF polygon = to_polygon(flattened(drawn, 1e-3 * reach_)[0]);
      painter.setPen(Qt::NoPen);
      painter.setBrush(wash);
      painter.drawPolygon(polygon, Qt::WindingFill);
      if (!polygon.isEmpty()) polygon << polygon.first();
      stroke(painter, polygon, theme::selection, 1.6);
    }
    const Vec2 off = now_ - points_.back();
    if (kind_ == DrawKind::rectangle)
      told = QStringLiteral("%1 × %2 mm").arg(std::abs(off.x()), 0, 'f', 1).arg(std::abs(off.y()), 0, 'f', 1);
    else if (kind_ == DrawKind::circle)
      told = QStringLiteral("⌀ %1 mm").arg(2 * off.norm(), 0, 'f', 1);
    else if (bowing_)
      told = tr("rises %1 mm").arg(std::abs(rises_[points_.size() - 2]), 0, 'f', 1);
    else if (kind_ == DrawKind::polygon)
      told = QStringLiteral("%1 mm").arg(off.norm(), 0, 'f', 1);
  }
  if (kind_ != DrawKind::free)
    for (const Vec2& p : points_)
      if (QPointF at; to_pixel(frame_->at(p), at)) paint_spot(painter, at);
  if (QPointF at; !told.isEmpty() && to_pixel(frame_->at(now_), at)) halo_text(painter, at + QPointF(0, 22), told, theme::ink);
  painter.restore();
}

QString OutlineDraw::prompt() const {
  switch (kind_) {
    case DrawKind::line: return points_.size() < 2 ? tr("Draw the line of the cut · type a length") : tr("Point at the side that goes, and click");
    case DrawKind::rectangle: return tr("Drag the rectangle, or click two corners · type 40x20 · Shift: a square");
    case DrawKind::circle: return tr("Drag from the middle outwards, or click twice · type the diameter");
    case DrawKind::polygon:
      if (bowing_) return tr("Point at how far the arc rises, and click · type how far");
      if (points_.empty() && plane_ == DrawPlane::surface) return tr("Click the first corner on a face or on the ground · Return: one to change by its numbers");
      return tr("Click the corners; Return or a click on the first ends it · type a length · Shift: level or upright · B: bow the last piece");
    case DrawKind::free: return tr("Draw around what is meant, and let go");
  }
  return {};
}

}  // namespace anvil::app
