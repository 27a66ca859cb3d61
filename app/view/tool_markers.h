// SPDX-License-Identifier: GPL-3.0-or-later
// Markers of the tools of the part whose recipe is shown: small labels in two columns beside the part, each with a line to
// its tool, so that forty tools in one spot can be told, chosen, dragged and switched one by one. This is boundary labelling
// (Bekos, Kaufmann, Symvonis and Wolff, "Boundary labeling", Computational Geometry 36, 2007) with straight leaders; labels
// keep as near to the height of their tools as the others allow.
#pragma once

#include <QPainter>

#include "app/session.h"
#include "app/view/camera_rig.h"

namespace anvil::app {

struct ToolMarker {
  Job::Use use;
  QString name;
  QPointF anchor;  ///< the tool's middle, in the widget
  QRectF box;      ///< of the label, in the widget
  bool chosen = false, to_left = false;
};

/// Which tool a marker stands for.
using MarkerKey = std::pair<UseId, PartId>;
inline MarkerKey key_of(const ToolMarker& marker) { return {marker.use.id, marker.use.tool}; }

struct ToolMarkers {
  std::vector<ToolMarker> all;
  std::size_t left_out = 0;  ///< tools for which there is no room
};

/// The markers of a picture. Tools without a result yet, or behind the eye, have none.
ToolMarkers place_tool_markers(const Session& session, const Picture& picture, const QFont& font);
/// @param under  the one under the pointer; {} for none
void paint_tool_markers(QPainter& painter, const Picture& picture, const ToolMarkers& markers, const MarkerKey& under);
/// The marker at a pixel; null when there is none.
const ToolMarker* marker_at(const ToolMarkers& markers, const QPointF& pixel);

}  // namespace anvil::app
