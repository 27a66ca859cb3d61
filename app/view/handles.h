// SPDX-License-Identifier: GPL-3.0-or-later
// The handles by which the chosen part, or the plane of the step that is worked on, is moved, turned and scaled.
#pragma once

#include <QPolygonF>

#include "app/view/grip_drag.h"
#include "app/view/camera_rig.h"
#include "app/view/drag.h"
#include "app/view/work_plane.h"

class QPainter;

namespace anvil::app {

class Labels;

class Handles {
 public:
  HandleMode mode = HandleMode::move;

  /// Shapes for one picture; none when nothing can be handled there.
  void place(const Session& session, const Picture& picture);
  void paint(QPainter& painter, int hot) const;
  /// The handle under the pixel; none when there is none.
  std::optional<int> hit(const QPointF& pixel) const;
  const Vec3& pivot() const { return pivot_; }
  /// Pixel of a grip of the step that is worked on, by its field and component; none where it has none.
  std::optional<QPointF> grip_pixel(const std::string& field, int component = -1) const;
  /// The drag that begins at a handle.
  std::unique_ptr<Drag> begin(const Session& session, int handle) const;

 private:
  struct Arm {
    int handle;
    bool ring;
    QPolygonF line;  // two points for an arrow, many for a ring
    QString name;
  };
  static constexpr int all_axes = 3;  // the grip in the middle, for scaling
  static constexpr int first_grip = 100;  // numbers of a step's grips count from here
  struct Bead {
    PlacedGrip grip;
    QPointF from, at;
  };
  void place_part(const Session& session, const Picture& picture);
  void place_plane(const Session& session, const Picture& picture);
  void add_ring(const Picture& picture, int handle, const Vec3& u, const Vec3& v, double radius, const QString& name);
  void add_arrow(const Picture& picture, int handle, const Vec3& to, const QString& name);

  void place_grips(const Session& session, const Picture& picture);
  void paint_grips(QPainter& painter, Labels& labels, int hot) const;
  void paint_guides(QPainter& painter) const;

  std::vector<Arm> arms_;
  std::vector<Bead> beads_;
  struct Sign {
    QPolygonF line;
    QString remark;
  };
  std::vector<Sign> signs_;
  std::optional<WorkPlane> plane_;
  QPointF centre_;
  Vec3 pivot_ = Vec3::Zero();
};

}  // namespace anvil::app
