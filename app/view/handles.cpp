// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/handles.h"

#include <QPainter>
#include <cmath>
#include <numbers>

#include "app/theme.h"
#include "app/view/overlay.h"
#include "app/view/plane_drag.h"

namespace anvil::app {
namespace {

constexpr double arm_pixels = 84;
constexpr double grip_pixels = 9;

double distance_to_segment(const QPointF& p, const QPointF& a, const QPointF& b) {
  const QPointF ab = b - a, ap = p - a;
  const double length = QPointF::dotProduct(ab, ab);
  const double t = length > 0 ? std::clamp(QPointF::dotProduct(ap, ab) / length, 0.0, 1.0) : 0;
  const QPointF d = ap - t * ab;
  return std::hypot(d.x(), d.y());
}

}  // namespace

void Handles::add_ring(const Picture& picture, int handle, const Vec3& u, const Vec3& v, double radius, const QString& name) {
  Arm arm{handle, true, {}, name};
  for (int k = 0; k <= 64; ++k) {
    const double angle = k * std::numbers::pi / 32;
    QPointF p;
    if (picture.at(pivot_ + radius * (std::cos(angle) * u + std::sin(angle) * v), p)) arm.line << p;
  }
  arms_.push_back(arm);
}

void Handles::add_arrow(const Picture& picture, int handle, const Vec3& to, const QString& name) {
  QPointF tip;
  if (!picture.at(pivot_ + to, tip)) return;
  const QPointF d = tip - centre_;
  if (std::hypot(d.x(), d.y()) < 14) return;  // seen end-on
  arms_.push_back({handle, false, QPolygonF{{centre_, tip}}, name});
}

void Handles::place(const Session& session, const Picture& picture) {
  arms_.clear();
  plane_ = work_plane(session);
  if (plane_)
    place_plane(session, picture);
  else
    place_part(session, picture);
}

void Handles::place_plane(const Session& session, const Picture& picture) {
  if (session.job().at(plane_->part).locked) return;
  pivot_ = plane_->middle;
  if (!picture.at(pivot_, centre_)) return;
  const double length = arm_pixels * picture.camera.pixel_length(pivot_, picture.area.size());
  add_arrow(picture, PlaneDrag::shift, length * plane_->normal, QString::fromStdString(plane_->label).toLower());
  add_ring(picture, PlaneDrag::turn_u, plane_->v, plane_->normal, 0.72 * length, QObject::tr("tilt"));
  add_ring(picture, PlaneDrag::turn_v, plane_->u, plane_->normal, 0.72 * length, QObject::tr("tilt"));
}

void Handles::place_part(const Session& session, const Picture& picture) {
  const PartId id = session.selection().empty() ? 0 : session.selection().back();
  const Part* part = session.job().find(id);
  if (part == nullptr || part->locked || !part->visible) return;
  const Box3 box = session.world_bounds(id);
  if (box.empty()) return;
  pivot_ = box.centre();
  if (!picture.at(pivot_, centre_)) return;
  const double length = arm_pixels * picture.camera.pixel_length(pivot_, picture.area.size());
  // Names of the directions in which the arrows point; the part's own axes when scaling.
  static constexpr const char* names[3] = {"right", "front", "up"};
  static constexpr const char* own_names[3] = {"width", "depth", "height"};
  static constexpr const char* ring_names[3] = {"around right", "around front", "around up"};
  for (int axis = 0; axis < 3; ++axis) {
    if (mode == HandleMode::turn) {
      add_ring(picture, axis, Vec3::Unit((axis + 1) % 3), Vec3::Unit((axis + 2) % 3), length, QObject::tr(ring_names[axis]));
      continue;
    }
    Vec3 direction = handle_axis(session, id, mode, axis);
    if (mode == HandleMode::move && axis == 1) direction = -direction;
    add_arrow(picture, axis, length * direction, QObject::tr(mode == HandleMode::scale ? own_names[axis] : names[axis]));
  }
}

void Handles::paint(QPainter& painter, int hot) const {
  if (arms_.empty()) return;
  painter.setRenderHint(QPainter::Antialiasing);
  const bool squares = !plane_ && mode == HandleMode::scale;
  for (const Arm& arm : arms_) {
    const QColor colour = arm.handle == hot ? theme::selection : theme::ink;
    stroke(painter, arm.line, colour, arm.handle == hot ? 3 : plane_ && arm.ring ? 1.4 : 2);
    if (arm.ring) {
      if (arm.handle == hot && arm.line.size() > 8) paint_tag(painter, arm.line.at(arm.line.size() / 8), arm.name, theme::ink);
      continue;
    }
    const QPointF tip = arm.line.last();
    const double angle = std::atan2(tip.y() - centre_.y(), tip.x() - centre_.x());
    painter.save();
    painter.translate(tip);
    painter.rotate(angle * 180 / std::numbers::pi);
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour);
    if (squares)
      painter.drawRect(QRectF(-5, -5, 10, 10));
    else
      painter.drawPolygon(QPolygonF{{QPointF(9, 0), QPointF(-5, -5), QPointF(-5, 5)}});
    painter.restore();
    const QPointF away = tip - centre_;
    halo_text(painter, tip + 24.0 * away / std::max(1.0, std::hypot(away.x(), away.y())), arm.name, colour);
  }
  painter.setPen(round_pen(Qt::white, 1.5));
  painter.setBrush(hot == all_axes && squares ? theme::selection : theme::ink);
  if (squares)
    painter.drawRect(QRectF(centre_.x() - 6, centre_.y() - 6, 12, 12));
  else if (plane_ || mode == HandleMode::move)
    painter.drawEllipse(centre_, 4, 4);
}

std::optional<int> Handles::hit(const QPointF& pixel) const {
  if (arms_.empty()) return std::nullopt;
  if (!plane_ && mode == HandleMode::scale && std::hypot(pixel.x() - centre_.x(), pixel.y() - centre_.y()) < grip_pixels) return all_axes;
  std::optional<int> best;
  double nearest = grip_pixels;
  for (const Arm& arm : arms_)
    for (int k = 0; k + 1 < arm.line.size(); ++k) {
      // The root of the arrows is common to all three and belongs to none.
      const QPointF from = arm.ring ? arm.line[k] : arm.line[k] + 0.18 * (arm.line[k + 1] - arm.line[k]);
      const double d = distance_to_segment(pixel, from, arm.line[k + 1]);
      if (d < nearest) {
        nearest = d;
        best = arm.handle;
      }
    }
  return best;
}

std::unique_ptr<Drag> Handles::begin(const Session& session, int handle) const {
  if (plane_) return std::make_unique<PlaneDrag>(session, *plane_, static_cast<PlaneDrag::What>(handle));
  return std::make_unique<PartDrag>(session, session.selection(), mode, handle == all_axes ? -1 : handle, pivot_, pivot_);
}

}  // namespace anvil::app
