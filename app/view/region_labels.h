// SPDX-License-Identifier: GPL-3.0-or-later
// The numbers that stand on the regions of a part while these are shown in colours (app/region_look.h).
#pragma once

#include <QFont>
#include <QRectF>
#include <vector>

#include "app/view/camera_rig.h"

class QPainter;

namespace anvil::app {

class Session;

struct RegionLabel {
  Index number;  ///< of the region
  QRectF box;    ///< pixels
};

/// Those that are seen in a picture, of the largest regions where there are many; none while regions are not shown.
std::vector<RegionLabel> place_region_labels(const Session& session, const Picture& picture, const QFont& font);
void paint_region_labels(QPainter& painter, const std::vector<RegionLabel>& labels);

}  // namespace anvil::app
