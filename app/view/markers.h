// SPDX-License-Identifier: GPL-3.0-or-later
// Markers at the places of a part's report: where they stand in a picture, many on one spot as one with their number, and
// which of them the part hides.
#pragma once

#include <QPainter>
#include <functional>

#include "app/view/camera_rig.h"
#include "core/soundness/report.h"

namespace anvil::app {

struct PlacedMarker {
  const Family* family;
  QPointF at;               ///< in the widget, of one of its places
  std::size_t count = 1;    ///< places that fall on this spot
  bool hidden = false;      ///< the part is in front of all of them
};

/// The drawing of a marker.
QString marker_icon(Marker marker);

/// @param is_listed  whether places of a family are marked
/// @param is_seen    whether a place is in sight
/// @param max_each   places of one family that are looked at
std::vector<PlacedMarker> place_markers(const Picture& picture, const SoundnessReport& report, const Affine& world,
                                        const std::function<bool(const Family&)>& is_listed, const std::function<bool(const Defect&)>& is_seen,
                                        std::size_t max_each);
/// @param through  those that are hidden are drawn too, fainter
void paint_markers(QPainter& painter, const std::vector<PlacedMarker>& markers, bool through);
/// What the markers stand for, in a box that stands on `corner` at its lower left. @return its height, 0 without any
double paint_marker_legend(QPainter& painter, const QPointF& corner, const std::vector<PlacedMarker>& markers, bool through);

}  // namespace anvil::app
