// SPDX-License-Identifier: GPL-3.0-or-later
// What the pointer and the keys do in the view: choose, grab, drag by hand or by a typed number, pick points, and move
// the camera. The view hands its events on; what is seen of all this it asks for.
#pragma once

#include <QKeyEvent>
#include <QMouseEvent>
#include <QObject>
#include <QWheelEvent>

#include "app/session.h"
#include "app/view/outline_draw.h"
#include "app/view/camera_rig.h"
#include "app/view/element_pick.h"
#include "app/view/handles.h"
#include "app/view/scene.h"
#include "app/view/tool_markers.h"

namespace anvil::app {

/// Which buttons move the camera. Left always chooses and drags parts.
enum class MouseScheme { three_buttons, two_buttons, touchpad };

class Pointer : public QObject {
  Q_OBJECT

 public:
  Pointer(Session& session, CameraRig& rig, QWidget* view);

  void press(const QMouseEvent& event);
  void move(const QMouseEvent& event);
  void release(const QMouseEvent& event);
  void wheel(const QWheelEvent& event);
  /// @return false when the key means nothing here
  bool key(const QKeyEvent& event);

  bool dragging() const { return gesture_ == Gesture::drag; }
  bool moving_camera() const { return gesture_ == Gesture::orbit || gesture_ == Gesture::pan; }
  /// The picture that the pointer works in.
  std::size_t picture() const { return picture_; }
  void set_picture(std::size_t picture) { picture_ = picture; }
  /// Forgets the handle under the pointer, as when the handles become others.
  void forget_handle() { hot_ = -1; }

  static constexpr int any_number = 0;  ///< of points to pick: until Return, or a click on the first one, which is then the last as well
  /// Lets the next clicks pick points on parts. @param count  1: a face is meant, its normal counts
  void pick_points(int count, const QString& prompt, const PickAnswer& answer);
  bool picking() const { return picking_.has_value(); }
  bool picking_path() const { return picking_ && picking_->count == any_number; }
  /// Are elements of the part being chosen?
  bool choosing() const { return session_.chooser().on() && !filter.bare; }
  /// Leaves picking without an answer; false when nothing was being picked.
  bool stop_picking();

  /// Lets an outline be drawn on the view; leaves whatever was being picked or drawn.
  void draw_outline(DrawKind kind, DrawPlane plane, OutlineDraw::Answer answer);
  bool drawing() const { return drawing_.has_value(); }
  /// Leaves drawing without an answer; false when nothing was being drawn.
  bool stop_drawing();

  /// Draws handles, picked points and what a drag has caught on into one picture.
  void paint(QPainter& painter, std::size_t picture) const;
  /// The handles as they stand in a picture.
  Handles handles_in(const Picture& picture) const;
  /// What the pointer does right now; "" when it only waits.
  QString doing() const;
  /// A handle is under the pointer.
  bool on_handle() const { return hot_ >= 0; }
  /// The markers as they stand in a picture; none while they are not wanted.
  ToolMarkers markers_in(const Picture& picture) const;
  const MarkerKey& under_marker() const { return under_; }

  MouseScheme scheme = MouseScheme::three_buttons;
  SnapSettings snap;
  HandleMode handle_mode = HandleMode::move;
  SceneFilter filter;  ///< of what can be seen and hit; where it is bare there are no handles either
  bool tool_markers = true;  ///< tools of the shown recipe have markers

 signals:
  void changed();       ///< something is to be drawn anew
  void hint_changed();
  void camera_moved();
  /// What can be done with a tool is wanted, at its marker.
  void tool_menu_wanted(const anvil::Job::Use& use, const QPoint& global);

 private:
  enum class Gesture { none, pending, orbit, pan, drag, region, paint, draw };
  struct Picking {
    int count;
    QString prompt;
    PickAnswer answer;
    std::vector<PickedPoint> points;
  };

  Gesture camera_gesture(Qt::MouseButton button, Qt::KeyboardModifiers modifiers) const;
  std::optional<Picked> hit_at(const QPointF& pixel) const;
  Vec3 point_under(const QPointF& pixel) const;
  void hover(const QPointF& pixel);
  void leave_place(const QMouseEvent& event);
  void click(Qt::KeyboardModifiers modifiers);
  void press_marker(const ToolMarker& marker, const QMouseEvent& event);
  void choose_part(PartId part, Qt::KeyboardModifiers modifiers);
  /// Begins to drag what is chosen; a copy of it where asked.
  void drag_chosen(const Vec3& from, bool copy);
  void pick_click();
  void end_picking();
  void choose_click(Qt::KeyboardModifiers modifiers);
  void choose_region(Qt::KeyboardModifiers modifiers);
  /// The faces of the region whose number was pressed. @return false where none was
  bool choose_numbered(Qt::KeyboardModifiers modifiers);
  void paint_at(const QPointF& pixel, Qt::KeyboardModifiers modifiers);
  /// The part whose elements are chosen, in the picture under the pointer; nothing while it has no result.
  std::optional<ElementView> element_view();
  OutlineDraw::At drawing_at(const QPointF& pixel, Qt::KeyboardModifiers modifiers) const;
  void end_drawing();
  void type_into_drawing(const QKeyEvent& event);
  void begin_drag(std::unique_ptr<Drag> drag);
  void update_drag(const QPointF& pixel, Qt::KeyboardModifiers modifiers);
  void finish_drag();
  void cancel_drag();
  void type_into_drag(const QKeyEvent& event);
  bool move_camera_by_key(const QKeyEvent& event);

  Session& session_;
  CameraRig& rig_;
  QWidget* view_;
  std::size_t picture_ = 0;
  int hot_ = -1;  // handle under the pointer
  MarkerKey under_{};  // marker under the pointer
  std::optional<PartId> pressed_marker_;
  std::vector<PartId> copied_;  // what is chosen again when the drag of a copy is left
  Gesture gesture_ = Gesture::none;
  QPointF pressed_at_, last_, clicked_at_{-100, -100};
  Qt::MouseButton pressed_button_ = Qt::NoButton;
  Vec3 pivot_ = Vec3::Zero();
  std::optional<Picked> pressed_on_;
  std::unique_ptr<Drag> drag_;
  QString typed_;
  std::optional<Issue> refused_;  // why the number typed so far cannot be had
  std::optional<Picking> picking_;
  std::optional<OutlineDraw> drawing_;
  QPolygonF region_;  // of a box or a lasso that is being drawn
};

}  // namespace anvil::app
