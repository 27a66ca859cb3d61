// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/handles.h"

#include <QPainter>
#include <cmath>
#include <numbers>

#include "app/theme.h"
#include "app/view/overlay.h"
#include "app/view/pick.h"
#include "app/view/plane_drag.h"
#include "app/view/scene.h"

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
  beads_.clear();
  signs_.clear();
  place_grips(session, picture);
  plane_ = work_plane(session);
  if (plane_)
    place_plane(session, picture);
  else if (beads_.empty())
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

namespace {

/// Moves a grip to the first of its places that lies in the picture, with nothing in front of it.
/// @return whether there is one
bool stand_where_seen(PlacedGrip& grip, const Session& session, const Picture& picture) {
  const std::vector<Target> shown = targets(session, shown_parts(session, {}));
  for (const Grip::Place& place : grip.grip.elsewhere) {
    PlacedGrip there = grip;
    there.stand_at(place);
    QPointF pixel;
    if (!picture.at(there.at, pixel) || !picture.area.contains(pixel)) continue;
    const Ray ray = picture.camera.ray(pixel - picture.area.topLeft(), picture.area.size());
    const double distance = (there.at - ray.origin).dot(ray.direction), slack = 4 * picture.camera.pixel_length(there.at, picture.area.size());
    if (const auto hit = pick(shown, ray); hit && hit->distance < distance - slack) continue;
    grip = std::move(there);
    return true;
  }
  return false;
}

}  // namespace

void Handles::place_grips(const Session& session, const Picture& picture) {
  for (PlacedGrip& grip : placed_grips(session)) {
    if (!grip.grip.elsewhere.empty() && !stand_where_seen(grip, session, picture)) continue;
    Bead bead{std::move(grip), {}, {}};
    if (picture.at(bead.grip.from, bead.from) && picture.at(bead.grip.at, bead.at)) beads_.push_back(std::move(bead));
  }
  for (const Guide& guide : placed_guides(session)) {
    Sign sign{{}, QString::fromStdString(guide.remark)};
    for (const Vec3& p : guide.line)
      if (QPointF at; picture.at(p, at)) sign.line << at;
    if (sign.line.size() == static_cast<qsizetype>(guide.line.size())) signs_.push_back(std::move(sign));
  }
}

/// Dotted, so that nobody takes them for edges.
void Handles::paint_guides(QPainter& painter) const {
  painter.setRenderHint(QPainter::Antialiasing);
  for (const Sign& sign : signs_) {
    QPen pen = round_pen(Qt::white, 3);
    painter.setPen(pen);
    painter.drawPolyline(sign.line);
    pen = round_pen(theme::ink, 1.6);
    pen.setDashPattern({0.1, 2.6});
    painter.setPen(pen);
    painter.drawPolyline(sign.line);
  }
}

/// A thin line with a bar across its end, like the end of a dimension, and the number beside it; of points a dot with a ring.
void Handles::paint_grips(QPainter& painter, Labels& labels, int hot) const {
  painter.setRenderHint(QPainter::Antialiasing);
  for (std::size_t k = 0; k < beads_.size(); ++k) {
    const Bead& bead = beads_[k];
    const bool is_hot = hot == first_grip + static_cast<int>(k);
    const QColor colour = is_hot ? theme::selection : theme::ink;
    if (bead.grip.grip.what == Grip::What::outline_point || bead.grip.grip.what == Grip::What::in_plane) {
      painter.setPen(round_pen(Qt::white, 1.5));
      painter.setBrush(colour);
      painter.drawEllipse(bead.at, is_hot ? 5 : 4, is_hot ? 5 : 4);
      painter.setBrush(Qt::NoBrush);
      if (!bead.grip.label.isEmpty()) labels.add(bead.at + QPointF(0, -14), bead.grip.label, colour);
      continue;
    }
    const QPointF along = bead.at - bead.from;
    const double length = std::hypot(along.x(), along.y());
    const QPointF across = length > 1 ? QPointF(-along.y(), along.x()) / length : QPointF(0, 1);
    stroke(painter, QPolygonF{{bead.from, bead.at}}, colour, is_hot ? 2.2 : 1.4);
    stroke(painter, QPolygonF{{bead.at - 7 * across, bead.at + 7 * across}}, colour, is_hot ? 4.5 : 3.4);
    const QPointF beside = length > 1 ? along / length : QPointF(0, -1);
    labels.add(bead.at + 40 * beside, bead.grip.label, colour);
  }
}

std::optional<QPointF> Handles::grip_pixel(const std::string& field, int component) const {
  for (const Bead& bead : beads_)
    if (bead.grip.grip.field == field && (component < 0 || bead.grip.grip.component == component)) return bead.at;
  return std::nullopt;
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
  Labels labels;
  paint_guides(painter);
  paint_grips(painter, labels, hot);
  for (const Sign& sign : signs_)
    if (!sign.remark.isEmpty()) labels.add(sign.line.first() + QPointF(0, 16), sign.remark, theme::ink);
  labels.paint(painter);
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
  std::optional<int> grip;
  double nearest_grip = grip_pixels;
  for (std::size_t k = 0; k < beads_.size(); ++k)
    if (const QPointF off = pixel - beads_[k].at; std::hypot(off.x(), off.y()) < nearest_grip) {
      nearest_grip = std::hypot(off.x(), off.y());
      grip = first_grip + static_cast<int>(k);
    }
  if (grip) return grip;
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
  if (handle >= first_grip) return std::make_unique<GripDrag>(session, beads_[static_cast<std::size_t>(handle - first_grip)].grip);
  if (plane_) return std::make_unique<PlaneDrag>(session, *plane_, static_cast<PlaneDrag::What>(handle));
  return std::make_unique<PartDrag>(session, session.selection(), mode, handle == all_axes ? -1 : handle, pivot_, pivot_);
}

}  // namespace anvil::app
