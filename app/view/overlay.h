// SPDX-License-Identifier: GPL-3.0-or-later
// What is painted flat over the picture: names of tools, the place shown, regions and points.
#pragma once

#include <QPainter>

#include "app/session.h"
#include "app/view/camera_rig.h"
#include "app/view/place.h"
#include "app/view/work_plane.h"
#include "core/comparison.h"

namespace anvil::app {

/// A line drawn twice: light underneath, so that it stands out from any ground.
void stroke(QPainter& painter, const QPolygonF& line, const QColor& colour, double width);
QPen round_pen(const QColor& colour, double width);
/// Text around a point, readable on any ground.
void halo_text(QPainter& painter, const QPointF& middle, const QString& text, const QColor& colour);
/// Several of them: one that would lie over another moves up or down.
class Labels {
 public:
  void add(const QPointF& middle, const QString& text, const QColor& colour) { labels_.push_back({middle, text, colour}); }
  void paint(QPainter& painter) const;

 private:
  struct Label {
    QPointF middle;
    QString text;
    QColor colour;
  };
  std::vector<Label> labels_;
};

/// The place shown, with its edges drawn.
void paint_place(QPainter& painter, const Picture& picture, const Place& place, const Affine& world);

/// The legend of the deviation map, standing on `corner` at its lower left, and the place of the largest deviation.
void paint_deviation(QPainter& painter, const Picture& picture, const QPointF& corner, const Comparison& comparison, const Affine& world);

/// A line between two points of the job, with its length.
void paint_measure(QPainter& painter, const Picture& picture, const std::array<Vec3, 2>& ends);
/// The outline of a region that is being drawn to choose what lies in it.
void paint_region(QPainter& painter, const QPolygonF& region);
/// Vertices of a part: the chosen ones, and small ones for those that can be.
void paint_vertex(QPainter& painter, const QPointF& at, bool chosen);
/// A point picked or caught on.
void paint_spot(QPainter& painter, const QPointF& at);
/// The plane of a step, as a sheet that can be seen through.
void paint_plane(QPainter& painter, const Picture& picture, const WorkPlane& plane);

/// Thin lines from every visible part that rides on another, and from every tool that stays put, to the part it belongs to.
void paint_belonging(QPainter& painter, const Picture& picture, const Session& session);

/// A name tag at a point, as for tools.
void paint_tag(QPainter& painter, const QPointF& at, const QString& text, const QColor& colour);

}  // namespace anvil::app
