// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/overlay.h"

#include <QPainterPath>
#include <cmath>
#include <numbers>

#include "app/theme.h"

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

QPen pen(const QColor& colour, double width) {
  QPen p(colour, width);
  p.setJoinStyle(Qt::RoundJoin);
  p.setCapStyle(Qt::RoundCap);
  return p;
}

/// Drawn twice: light underneath, so that it stands out from any ground.
void stroke(QPainter& painter, const QPolygonF& line, const QColor& colour, double width) {
  painter.setPen(pen(QColor(255, 255, 255, 170), width + 2.5));
  painter.drawPolyline(line);
  painter.setPen(pen(colour, width));
  painter.drawPolyline(line);
}

/// Text around a point, readable on any ground.
void halo_text(QPainter& painter, const QPointF& middle, const QString& text, const QColor& colour) {
  const QFontMetricsF metrics(painter.font());
  QPainterPath path;
  path.addText(middle + QPointF(-metrics.horizontalAdvance(text) / 2, metrics.capHeight() / 2),
               painter.font(), text);
  painter.strokePath(path, pen(QColor(255, 255, 255, 210), 4));
  painter.fillPath(path, colour);
}

}  // namespace

void Handles::place(const Session& session, const Picture& picture) {
  arms_.clear();
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
  for (int axis = 0; axis < 3; ++axis) {
    Vec3 direction = handle_axis(session, id, mode, axis);
    if (mode == HandleMode::move && axis == 1) direction = -direction;
    Arm arm{axis, {}, mode == HandleMode::scale ? own_names[axis] : names[axis]};
    if (mode == HandleMode::turn) {
      arm.name = axis == 2 ? "around up" : axis == 1 ? "around front" : "around right";
      const Vec3 u = Vec3::Unit((axis + 1) % 3), v = Vec3::Unit((axis + 2) % 3);
      for (int k = 0; k <= 64; ++k) {
        const double angle = k * std::numbers::pi / 32;
        QPointF p;
        if (picture.at(pivot_ + length * (std::cos(angle) * u + std::sin(angle) * v), p)) arm.line << p;
      }
    } else {
      QPointF tip;
      if (!picture.at(pivot_ + length * direction, tip)) continue;
      const QPointF d = tip - centre_;
      if (std::hypot(d.x(), d.y()) < 14) continue;  // seen end-on
      arm.line << centre_ << tip;
    }
    arms_.push_back(arm);
  }
}

void Handles::paint(QPainter& painter, int hot_axis) const {
  if (arms_.empty()) return;
  painter.setRenderHint(QPainter::Antialiasing);
  for (const Arm& arm : arms_) {
    const QColor colour = arm.axis == hot_axis ? theme::selection : theme::ink;
    stroke(painter, arm.line, colour, arm.axis == hot_axis ? 3 : 2);
    if (mode == HandleMode::turn) {
      if (arm.axis == hot_axis) paint_tag(painter, arm.line.at(arm.line.size() / 8), arm.name, theme::ink);
      continue;
    }
    const QPointF tip = arm.line.last();
    const double angle = std::atan2(tip.y() - centre_.y(), tip.x() - centre_.x());
    painter.save();
    painter.translate(tip);
    painter.rotate(angle * 180 / std::numbers::pi);
    painter.setPen(Qt::NoPen);
    painter.setBrush(colour);
    if (mode == HandleMode::move)
      painter.drawPolygon(QPolygonF{{QPointF(9, 0), QPointF(-5, -5), QPointF(-5, 5)}});
    else
      painter.drawRect(QRectF(-5, -5, 10, 10));
    painter.restore();
    const QPointF away = tip - centre_;
    halo_text(painter, tip + 24.0 * away / std::max(1.0, std::hypot(away.x(), away.y())), arm.name, colour);
  }
  painter.setPen(pen(Qt::white, 1.5));
  painter.setBrush(hot_axis == 3 ? theme::selection : theme::ink);
  if (mode == HandleMode::scale) painter.drawRect(QRectF(centre_.x() - 6, centre_.y() - 6, 12, 12));
  if (mode == HandleMode::move) painter.drawEllipse(centre_, 4, 4);
}

std::optional<int> Handles::hit(const QPointF& pixel) const {
  if (arms_.empty()) return std::nullopt;
  if (mode == HandleMode::scale && std::hypot(pixel.x() - centre_.x(), pixel.y() - centre_.y()) < grip_pixels)
    return 3;
  std::optional<int> best;
  double nearest = grip_pixels;
  for (const Arm& arm : arms_)
    for (int k = 0; k + 1 < arm.line.size(); ++k) {
      // The root of the arrows is common to all three and belongs to none.
      const QPointF from =
          mode == HandleMode::turn ? arm.line[k] : arm.line[k] + 0.18 * (arm.line[k + 1] - arm.line[k]);
      const double d = distance_to_segment(pixel, from, arm.line[k + 1]);
      if (d < nearest) {
        nearest = d;
        best = arm.axis;
      }
    }
  return best;
}

QString marker_icon(Family family) {
  switch (family) {
    case Family::open_edges:
      return QStringLiteral("mark_ring");
    case Family::crossing_faces:
      return QStringLiteral("mark_bow_tie");
    case Family::non_manifold_edges:
    case Family::non_manifold_vertices:
      return QStringLiteral("mark_diamond");
    case Family::zero_length_edges:
    case Family::zero_area_faces:
    case Family::unwelded_vertices:
    case Family::stray_shells:
      return QStringLiteral("mark_dot");
    case Family::doubled_faces:
    case Family::inner_walls:
      return QStringLiteral("mark_double_bar");
    case Family::flipped_faces:
      return QStringLiteral("mark_hook");
  }
  return QStringLiteral("mark_dot");
}

void paint_markers(QPainter& painter, const Picture& picture, const SoundnessReport& report,
                   const Affine& world, std::size_t most) {
  painter.setRenderHint(QPainter::Antialiasing);
  for (std::size_t f = 0; f < family_count; ++f) {
    const auto family = static_cast<Family>(f);
    const FamilyReport& found = report.families[f];
    if (found.places.empty()) continue;
    const double ratio = painter.device()->devicePixelRatioF();
    const QPixmap light = theme::pixmap(marker_icon(family), Qt::white, 20, ratio);
    const QPixmap mark = theme::pixmap(marker_icon(family), theme::defect, 16, ratio);
    for (std::size_t k = 0; k < std::min(most, found.places.size()); ++k) {
      QPointF at;
      if (!picture.at(world * found.places[k].position, at) || !picture.area.contains(at)) continue;
      painter.drawPixmap(at - QPointF(10, 10), light);
      painter.drawPixmap(at - QPointF(8, 8), mark);
    }
  }
}

void paint_place(QPainter& painter, const Picture& picture, const Place& place, const Affine& world) {
  painter.setRenderHint(QPainter::Antialiasing);
  for (const auto& [a, b] : place.segments) {
    QPointF p, q;
    if (picture.at(world * a, p) && picture.at(world * b, q))
      stroke(painter, QPolygonF{{p, q}}, theme::defect, 2);
  }
  QPointF at;
  if (!picture.at(world * place.position, at)) return;
  const double length = picture.camera.pixel_length(world * place.position, picture.area.size());
  const double radius = std::clamp(place.radius / length + 10, 16.0, 0.45 * picture.area.height());
  painter.setBrush(Qt::NoBrush);
  painter.setPen(pen(QColor(255, 255, 255, 190), 4.5));
  painter.drawEllipse(at, radius, radius);
  QPen dashed = pen(theme::defect, 2);
  dashed.setDashPattern({1, 2.5});
  painter.setPen(dashed);
  painter.drawEllipse(at, radius, radius);
  paint_tag(painter, at + QPointF(radius * 0.7 + 8, -radius * 0.7 - 14), QString::fromStdString(place.text),
            theme::defect);
}

void paint_tag(QPainter& painter, const QPointF& at, const QString& text, const QColor& colour) {
  painter.save();
  QFont font = painter.font();
  font.setWeight(QFont::DemiBold);
  painter.setFont(font);
  const double width = QFontMetricsF(font).horizontalAdvance(text) + 20;
  painter.setPen(Qt::NoPen);
  painter.setBrush(colour);
  const QRectF box(at.x(), at.y() - 12, width, 24);
  painter.drawRoundedRect(box, 4, 4);
  painter.setPen(Qt::white);
  painter.drawText(box, Qt::AlignCenter, text);
  painter.restore();
}

}  // namespace anvil::app
