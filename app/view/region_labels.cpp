// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/region_labels.h"

#include <QFontMetricsF>
#include <QPainter>
#include <algorithm>

#include "app/session.h"
#include "app/theme.h"
#include "app/view/element_pick.h"

namespace anvil::app {
namespace {

QFont label_font(QFont font) {
  font.setPixelSize(11);
  font.setWeight(QFont::DemiBold);
  return font;
}

}  // namespace

std::vector<RegionLabel> place_region_labels(const Session& session, const Picture& picture, const QFont& font) {
  constexpr std::size_t most = 60;
  constexpr double height = 17, margin = 10;
  const PartId owner = session.recipe_owner();
  const std::vector<Region>& regions = session.region_look().regions(owner);
  const PartResult r = session.result(owner);
  if (regions.empty() || !r.evaluated || !r.evaluated->drawable || !session.job().at(owner).visible) return {};
  const Affine world = session.job().world_of(owner);
  std::vector<const Region*> order;
  for (const Region& region : regions) order.push_back(&region);
  std::stable_sort(order.begin(), order.end(), [](const Region* a, const Region* b) { return a->area > b->area; });
  order.resize(std::min(order.size(), most));
  const QFontMetricsF metrics(label_font(font));
  std::vector<RegionLabel> labels;
  for (const Region* region : order) {
    RegionLabel label{region->number, QRectF(0, 0, metrics.horizontalAdvance(QString::number(region->number)) + margin, height)};
    for (const Vec3& place : region->places) {
      QPointF at;
      if (!picture.at(world * place, at) || !picture.area.contains(at)) continue;
      if (!is_seen(*r.evaluated, world, picture, place, 1e-3 * r.evaluated->drawable->box.diagonal())) continue;
      label.box.moveCenter(at);
      // On one spot the largest region has its own.
      if (std::any_of(labels.begin(), labels.end(), [&](const RegionLabel& other) { return other.box.intersects(label.box); })) continue;
      labels.push_back(label);
      break;
    }
  }
  return labels;
}

void paint_region_labels(QPainter& painter, const std::vector<RegionLabel>& labels) {
  painter.setFont(label_font(painter.font()));
  for (const RegionLabel& label : labels) {
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor(255, 255, 255, 205));
    painter.drawRoundedRect(label.box, 4, 4);
    painter.setPen(theme::ink);
    painter.drawText(label.box, Qt::AlignCenter, QString::number(label.number));
  }
}

}  // namespace anvil::app
