// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/overlay.h"

#include <QPainterPath>
#include <cmath>

#include "app/theme.h"
#include "app/view/renderer.h"

namespace anvil::app {

QPen round_pen(const QColor& colour, double width) {
  QPen p(colour, width);
  p.setJoinStyle(Qt::RoundJoin);
  p.setCapStyle(Qt::RoundCap);
  return p;
}

void stroke(QPainter& painter, const QPolygonF& line, const QColor& colour, double width) {
  painter.setPen(round_pen(QColor(255, 255, 255, 170), width + 2.5));
  painter.drawPolyline(line);
  painter.setPen(round_pen(colour, width));
  painter.drawPolyline(line);
}

void halo_text(QPainter& painter, const QPointF& middle, const QString& text, const QColor& colour) {
  const QFontMetricsF metrics(painter.font());
  QPainterPath path;
  path.addText(middle + QPointF(-metrics.horizontalAdvance(text) / 2, metrics.capHeight() / 2), painter.font(), text);
  painter.strokePath(path, round_pen(QColor(255, 255, 255, 210), 4));
  painter.fillPath(path, colour);
}

void Labels::paint(QPainter& painter) const {
  std::vector<QRectF> taken;
  for (const Label& label : labels_) {
    QRectF box = QFontMetricsF(painter.font()).boundingRect(label.text).adjusted(-2, 0, 2, 0);
    const double line = box.height();
    QPointF middle = label.middle;
    for (int k = 0; k < 12; ++k) {
      // Its place, then a line above, one below, two above and so on.
      middle = label.middle + QPointF(0, (k % 2 == 0 ? 1 : -1) * ((k + 1) / 2) * line);
      box.moveCenter(middle);
      if (std::none_of(taken.begin(), taken.end(), [&](const QRectF& other) { return other.intersects(box); })) break;
    }
    taken.push_back(box);
    halo_text(painter, middle, label.text, label.colour);
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
  painter.setPen(round_pen(QColor(255, 255, 255, 190), 4.5));
  painter.drawEllipse(at, radius, radius);
  QPen dashed = round_pen(theme::defect, 2);
  dashed.setDashPattern({1, 2.5});
  painter.setPen(dashed);
  painter.drawEllipse(at, radius, radius);
  paint_tag(painter, at + QPointF(radius * 0.7 + 8, -radius * 0.7 - 14), QString::fromStdString(place.text),
            theme::defect);
}

void paint_deviation(QPainter& painter, const Picture& picture, const QPointF& corner, const Comparison& comparison, const Affine& world) {
  const OneWay& off = comparison.deviation.from_new;
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  const QRectF box(corner.x(), corner.y() - 58, 224, 58);
  painter.setPen(Qt::NoPen);
  painter.setBrush(QColor(255, 255, 255, 215));
  painter.drawRoundedRect(box, 6, 6);
  painter.setPen(theme::ink);
  painter.drawText(box.adjusted(10, 6, -10, 0), Qt::AlignLeft | Qt::AlignTop, QObject::tr("New surface off the old, mm"));
  QLinearGradient ramp(box.left() + 10, 0, box.right() - 10, 0);
  for (const double share : {0.0, 0.5, 1.0}) ramp.setColorAt(share, deviation_colour(share));
  painter.setPen(QPen(theme::line, 1));
  painter.setBrush(ramp);
  painter.drawRect(QRectF(box.left() + 10, box.top() + 25, box.width() - 20, 9));
  painter.setPen(theme::faint_ink);
  const QRectF numbers = box.adjusted(10, 36, -10, -3);
  painter.drawText(numbers, Qt::AlignLeft | Qt::AlignVCenter, QStringLiteral("0"));
  painter.drawText(numbers, Qt::AlignHCenter | Qt::AlignVCenter, QString::number(off.max / 2, 'g', 3));
  painter.drawText(numbers, Qt::AlignRight | Qt::AlignVCenter, QString::number(off.max, 'g', 3));
  painter.restore();
  if (QPointF at; off.max > 0 && picture.at(world * off.place, at)) {
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(round_pen(Qt::white, 4));
    painter.setBrush(Qt::NoBrush);
    painter.drawEllipse(at, 7, 7);
    painter.setPen(round_pen(theme::ink, 1.8));
    painter.drawEllipse(at, 7, 7);
    painter.restore();
    paint_tag(painter, at + QPointF(13, -16), QObject::tr("at most %1 mm").arg(off.max, 0, 'g', 3), theme::ink);
  }
}

void paint_measure(QPainter& painter, const Picture& picture, const std::array<Vec3, 2>& ends) {
  QPointF a, b;
  if (!picture.at(ends[0], a) || !picture.at(ends[1], b)) return;
  stroke(painter, QPolygonF{{a, b}}, theme::ink, 1.6);
  paint_spot(painter, a);
  paint_spot(painter, b);
  paint_tag(painter, (a + b) / 2 + QPointF(10, -14), QObject::tr("%1 mm").arg((ends[1] - ends[0]).norm(), 0, 'g', 5), theme::ink);
}

void paint_region(QPainter& painter, const QPolygonF& region) {
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  QColor wash = theme::selection;
  wash.setAlpha(26);
  painter.setBrush(wash);
  QPen dashed = round_pen(theme::selection, 1.4);
  dashed.setDashPattern({4, 3});
  painter.setPen(dashed);
  painter.drawPolygon(region);
  painter.restore();
}

void paint_vertex(QPainter& painter, const QPointF& at, bool chosen) {
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(chosen ? round_pen(Qt::white, 1.2) : QPen(Qt::NoPen));
  painter.setBrush(chosen ? theme::selection : theme::ink);
  const double radius = chosen ? 4.5 : 2;
  painter.drawEllipse(at, radius, radius);
}

void paint_spot(QPainter& painter, const QPointF& at) {
  painter.setRenderHint(QPainter::Antialiasing);
  painter.setPen(QPen(theme::selection, 2));
  painter.setBrush(Qt::white);
  painter.drawEllipse(at, 6, 6);
}

void paint_plane(QPainter& painter, const Picture& picture, const WorkPlane& plane) {
  QPolygonF square;
  for (const auto& [a, b] : {std::pair(1, 1), std::pair(-1, 1), std::pair(-1, -1), std::pair(1, -1)}) {
    QPointF corner;
    if (!picture.at(plane.middle + a * plane.half_u * plane.u + b * plane.half_v * plane.v, corner)) return;
    square << corner;
  }
  painter.setRenderHint(QPainter::Antialiasing);
  QColor wash = theme::other;
  wash.setAlpha(46);
  QPen dashed = round_pen(theme::other, 1.6);
  dashed.setDashPattern({5, 3});
  painter.setPen(dashed);
  painter.setBrush(wash);
  painter.drawPolygon(square);
}

void paint_belonging(QPainter& painter, const Picture& picture, const Session& session) {
  const Job& job = session.job();
  const auto middle = [&](PartId id, QPointF& at) {
    const Box3 box = session.world_bounds(id);
    return !box.empty() && picture.at(box.centre(), at);
  };
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  const auto line = [&](PartId from, PartId to, bool rides) {
    QPointF a, b;
    if (!job.at(from).visible || !job.at(to).visible || !middle(from, a) || !middle(to, b)) return;
    QPen pen = round_pen(theme::faint_ink, 1.1);
    if (!rides) pen.setDashPattern({3, 3});
    painter.setPen(pen);
    painter.drawLine(a, b);
    painter.setPen(Qt::NoPen);
    painter.setBrush(theme::faint_ink);
    painter.drawEllipse(b, 3.5, 3.5);
  };
  for (const PartPtr& part : job.parts) {
    if (part->rides_on && job.find(*part->rides_on) != nullptr) line(part->id, *part->rides_on, true);
    for (const Job::Use& use : job.uses_by(part->id))
      if (job.at(use.tool).rides_on != part->id) line(use.tool, part->id, false);
  }
  painter.restore();
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
