// SPDX-License-Identifier: GPL-3.0-or-later
// The view: shows the job in one or four pictures and turns pointer and keys into choosing, dragging and
// moving the camera.
#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

#include "app/session.h"
#include "app/view/camera_rig.h"
#include "app/view/handles.h"
#include "app/view/scene_painter.h"

namespace anvil::app {

/// Which buttons move the camera. Left always chooses and drags parts.
enum class MouseScheme { three_buttons, two_buttons, touchpad };

class ViewWidget : public QWidget {
  Q_OBJECT

 public:
  explicit ViewWidget(Session& session, QWidget* parent = nullptr);
  ~ViewWidget() override;

  void look(Direction direction);
  void fit_all();
  void fit_selection();
  void fly_to(PartId part, const Place& place);
  void forget_place();

  void set_four(bool four);
  bool four() const { return rig_.four(); }
  void set_parallel(bool parallel);
  bool parallel() const { return rig_.camera(0).parallel; }
  void set_render_style(RenderStyle look);
  RenderStyle render_style() const { return style_.style; }
  void set_bare(bool bare);
  bool bare() const { return bare_; }
  void set_marks(bool marks);
  bool marks() const { return marks_; }
  void set_handle_mode(HandleMode mode);
  HandleMode handle_mode() const { return handles_.mode; }
  SnapSettings& snap() { return snap_; }
  void set_scheme(MouseScheme scheme) { scheme_ = scheme; }
  MouseScheme scheme() const { return scheme_; }
  double grid_step() const;
  const Camera& camera(std::size_t picture = 0) const { return rig_.camera(picture); }

  /// The pixel of a point in the main picture, for tests and the screenshot taker.
  QPointF pixel_of(const Vec3& point) const;
  /// Pixel in the middle of a handle's grip (0 to 2).
  QPointF handle_pixel(int handle) const;
  QRectF picture_area(std::size_t picture) const { return rig_.area(picture); }
  /// Lets the next clicks pick points on parts. @param count  1: a face is meant, its normal counts
  void pick_points(int count, const QString& prompt, const PickAnswer& answer);
  bool picking() const { return picking_.has_value(); }
  /// Leaves picking without an answer; false when nothing was being picked.
  bool stop_picking();
  const Renderer& renderer() const { return scene_.renderer(); }
  /// The view as it is now, with all that is painted over it.
  QImage picture() { return grab().toImage(); }
  /// Is the picture of heavy parts at rest done?
  bool still_finished() const { return !style_.moving && !scene_.unfinished(); }
  /// What the mouse and keys do right now.
  QString hint() const;

 signals:
  void hint_changed(const QString& hint);
  void style_changed();
  void unusable();
  void painted();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void showEvent(QShowEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;

 private:
  enum class Gesture { none, pending, orbit, pan, drag };

  void advance_still();
  Vec3 point_under(const QPointF& pixel) const;
  void begin_drag(std::unique_ptr<Drag> drag);
  void update_drag(const QPointF& pixel, Qt::KeyboardModifiers modifiers);
  void finish_drag();
  void cancel_drag();
  void click(Qt::KeyboardModifiers modifiers);
  void pick_click();
  void type_into_drag(QKeyEvent* event);
  void move_camera_by_key(QKeyEvent* event);
  void camera_moved();
  void paint_overlay(QPainter& painter, std::size_t index);
  Gesture camera_gesture(Qt::MouseButton button, Qt::KeyboardModifiers modifiers) const;

  Session& session_;
  ScenePainter scene_;
  QTimer still_timer_;  // draws on at the still picture
  bool tried_ = false, usable_ = false;
  CameraRig rig_{this};
  std::size_t active_ = 0;  // the picture that the pointer works in
  FrameStyle style_;
  bool bare_ = false, marks_ = true;
  MouseScheme scheme_ = MouseScheme::three_buttons;
  SnapSettings snap_;
  Handles handles_;
  int hot_ = -1;  // handle under the pointer

  Gesture gesture_ = Gesture::none;
  QPointF pressed_at_, last_;
  Qt::MouseButton pressed_button_ = Qt::NoButton;
  Vec3 pivot_ = Vec3::Zero();
  std::optional<Picked> pressed_on_;
  std::unique_ptr<Drag> drag_;
  QString typed_;
  std::optional<Issue> refused_;  // why the number typed so far cannot be had

  std::optional<std::pair<PartId, Place>> place_;
  bool fit_when_ready_ = true;
  QTimer settle_;  // ends the lighter drawing shortly after the last camera move
  struct Picking {
    int count;
    QString prompt;
    PickAnswer answer;
    std::vector<PickedPoint> points;
  };
  std::optional<Picking> picking_;
};

}  // namespace anvil::app
