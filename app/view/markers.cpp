// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/markers.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "app/theme.h"

namespace anvil::app {
namespace {

constexpr double spot = 20;  // pixels: what lies in one cell of this size is one marker
constexpr int mark_size = 16, light_size = 20;

struct Sums {
  const Family* family;
  std::size_t places = 0, hidden = 0;
};
std::vector<Sums> sums_of(const std::vector<PlacedMarker>& markers) {
  std::vector<Sums> sums;
  for (const PlacedMarker& marker : markers) {
    if (sums.empty() || sums.back().family != marker.family) sums.push_back({marker.family});
    sums.back().places += marker.count;
    if (marker.hidden) sums.back().hidden += marker.count;
  }
  return sums;
}

}  // namespace

QString marker_icon(Marker marker) {
  switch (marker) {
    case Marker::ring: return QStringLiteral("mark_ring");
    case Marker::bow_tie: return QStringLiteral("mark_bow_tie");
    case Marker::diamond: return QStringLiteral("mark_diamond");
    case Marker::dot: return QStringLiteral("mark_dot");
    case Marker::double_bar: return QStringLiteral("mark_double_bar");
    case Marker::hook: return QStringLiteral("mark_hook");
  }
  return QStringLiteral("mark_dot");
}

std::vector<PlacedMarker> place_markers(const Picture& picture, const SoundnessReport& report, const Affine& world,
                                        const std::function<bool(const Family&)>& is_listed, const std::function<bool(const Defect&)>& is_seen,
                                        std::size_t max_each) {
  std::vector<PlacedMarker> all;
  for (const FamilyReport& found : report.families) {
    if (!is_listed(*found.family)) continue;
    std::map<std::pair<long, long>, std::size_t> cells;
    for (std::size_t k = 0; k < std::min(max_each, found.defects.size()); ++k) {
      const Defect& defect = found.defects[k];
      QPointF at;
      if (!picture.at(world * defect.position, at) || !picture.area.contains(at)) continue;
      const auto [cell, is_new] = cells.try_emplace({std::lround(at.x() / spot), std::lround(at.y() / spot)}, all.size());
      if (is_new) {
        all.push_back({found.family, at, 1, !is_seen(defect)});
        continue;
      }
      PlacedMarker& there = all[cell->second];
      ++there.count;
      if (there.hidden && is_seen(defect)) there.hidden = false, there.at = at;
    }
  }
  return all;
}

void paint_markers(QPainter& painter, const std::vector<PlacedMarker>& markers, bool through) {
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  const double ratio = painter.device()->devicePixelRatioF();
  QFont font = painter.font();
  font.setPixelSize(10);
  font.setWeight(QFont::DemiBold);
  painter.setFont(font);
  for (const PlacedMarker& marker : markers) {
    if (marker.hidden && !through) continue;
    painter.setOpacity(marker.hidden ? 0.5 : 1);
    const QString icon = marker_icon(marker.family->marker);
    painter.drawPixmap(marker.at - QPointF(light_size, light_size) / 2, theme::pixmap(icon, Qt::white, light_size, ratio));
    painter.drawPixmap(marker.at - QPointF(mark_size, mark_size) / 2, theme::pixmap(icon, theme::defect, mark_size, ratio));
    if (marker.count < 2) continue;
    const QString number = QStringLiteral("%L1").arg(marker.count);
    const double width = QFontMetricsF(font).horizontalAdvance(number) + 7;
    const QRectF bubble(marker.at.x() + 5, marker.at.y() - 15, width, 13);
    painter.setPen(QPen(Qt::white, 1));
    painter.setBrush(theme::defect);
    painter.drawRoundedRect(bubble, 6.5, 6.5);
    painter.drawText(bubble, Qt::AlignCenter, number);
  }
  painter.restore();
}

double paint_marker_legend(QPainter& painter, const QPointF& corner, const std::vector<PlacedMarker>& markers, bool through) {
  const std::vector<Sums> sums = sums_of(markers);
  if (sums.empty()) return 0;
  painter.save();
  painter.setRenderHint(QPainter::Antialiasing);
  QFont font = painter.font();
  font.setPixelSize(11);
  painter.setFont(font);
  const QFontMetricsF metrics(font);
  constexpr double line = 17, edge = 7;
  std::vector<QString> texts;
  double width = 0;
  for (const Sums& sum : sums) {
    QString text = QStringLiteral("%1  %L2").arg(QString::fromUtf8(sum.family->label)).arg(sum.places);
    if (sum.hidden > 0) text += QObject::tr(through ? ", %L1 behind" : ", %L1 hidden").arg(sum.hidden);
    width = std::max(width, metrics.horizontalAdvance(text));
    texts.push_back(text);
  }
  const double height = line * static_cast<double>(sums.size()) + 2 * edge - 3;
  const QRectF box(corner.x(), corner.y() - height, width + 18 + 2 * edge, height);
  painter.setPen(Qt::NoPen);
  painter.setBrush(QColor(255, 255, 255, 190));
  painter.drawRoundedRect(box, 6, 6);
  const double ratio = painter.device()->devicePixelRatioF();
  for (std::size_t k = 0; k < sums.size(); ++k) {
    const double top = box.top() + edge + line * static_cast<double>(k) - 1;
    painter.drawPixmap(QPointF(box.left() + edge, top + 1), theme::pixmap(marker_icon(sums[k].family->marker), theme::defect, 12, ratio));
    painter.setPen(theme::ink);
    painter.drawText(QRectF(box.left() + edge + 18, top, width + 4, line - 2), Qt::AlignLeft | Qt::AlignVCenter, texts[k]);
  }
  painter.restore();
  return height;
}

}  // namespace anvil::app
