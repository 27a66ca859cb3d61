// SPDX-License-Identifier: GPL-3.0-or-later
// What is painted flat over the picture: handles, names of tools, defect markers, the place shown.
#pragma once

#include <QPainter>

#include "app/view/drag.h"
#include "core/soundness/report.h"

namespace anvil::app {

/// Everything a painter of overlays needs to know about one picture.
struct Picture {
  const Camera& camera;
  QRectF area;  ///< in widget pixels

  /// Pixel in the widget; false when behind the eye.
  bool at(const Vec3& point, QPointF& pixel) const {
    if (!camera.project(point, area.size(), pixel)) return false;
    pixel += area.topLeft();
    return true;
  }
};

/// The handles of the chosen part.
class Handles {
 public:
  HandleMode mode = HandleMode::move;

  /// Shapes for one picture; empty when nothing can be handled there.
  void place(const Session& session, const Picture& picture);
  void clear() { arms_.clear(); }
  void paint(QPainter& painter, int hot_axis) const;
  /// Axis of the handle under the pixel: 0 to 2, 3 for all axes (scale), none when there is none.
  std::optional<int> hit(const QPointF& pixel) const;
  const Vec3& pivot() const { return pivot_; }

 private:
  struct Arm {
    int axis;
    QPolygonF line;  // two points for an arrow, many for a ring
    QString name;
  };
  std::vector<Arm> arms_;
  QPointF centre_;
  Vec3 pivot_ = Vec3::Zero();
};

/// The marker of a family of defects: ring, bow-tie, diamond, dot, double bar or hook.
QString marker_icon(Family family);

/// Markers at the places of a part's report; the one shown with its edges drawn.
void paint_markers(QPainter& painter, const Picture& picture, const SoundnessReport& report,
                   const Affine& world, std::size_t most);
void paint_place(QPainter& painter, const Picture& picture, const Place& place, const Affine& world);

/// A name tag at a point, as for tools.
void paint_tag(QPainter& painter, const QPointF& at, const QString& text, const QColor& colour);

}  // namespace anvil::app
