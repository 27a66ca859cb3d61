// SPDX-License-Identifier: GPL-3.0-or-later
// The view: shows the job in one or four pictures; what the pointer and the keys do in it is pointer.h's.
#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <QWidget>

#include "app/session.h"
#include "app/view/camera_rig.h"
#include "app/view/pointer.h"
#include "app/view/scene_painter.h"

namespace anvil::app {

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
  bool bare() const { return pointer_.filter.bare; }
  void set_tool_markers(bool markers);
  bool tool_markers() const { return pointer_.tool_markers; }
  /// Ghosts of tools that are not chosen are left out.
  void set_chosen_ghosts_only(bool only);
  bool chosen_ghosts_only() const { return pointer_.filter.chosen_ghosts_only; }
  /// Lines from what rides on a part, or is a tool of it, to that part.
  void set_belonging(bool belonging);
  bool belonging() const { return belonging_; }
  void set_marks(bool marks);
  bool marks() const { return marks_; }
  /// Colours parts by how far their last step moved the surface, where it tells that.
  void set_deviation_map(bool map);
  /// Markers that the part hides are drawn too.
  void set_marks_through(bool through);
  bool marks_through() const { return marks_through_; }
  /// Of everything only what lies around the place shown is drawn.
  void set_isolated(bool isolated);
  bool isolated() const { return isolated_; }
  bool showing_place() const { return place_.has_value(); }
  /// Draws a line with its length between two points of the job, until it is put away as the place shown is.
  void show_measure(const std::array<Vec3, 2>& ends);
  bool deviation_map() const { return deviation_map_; }
  void set_handle_mode(HandleMode mode);
  HandleMode handle_mode() const { return pointer_.handle_mode; }
  SnapSettings& snap() { return pointer_.snap; }
  void set_scheme(MouseScheme scheme) { pointer_.scheme = scheme; }
  MouseScheme scheme() const { return pointer_.scheme; }
  double grid_step() const { return rig_.grid_step(); }
  const Camera& camera(std::size_t picture = 0) const { return rig_.camera(picture); }

  /// The pixel of a point in the main picture, for tests and the screenshot taker.
  QPointF pixel_of(const Vec3& point) const;
  /// Pixel in the middle of a handle's grip (0 to 2).
  QPointF handle_pixel(int handle) const;
  /// Pixel in the middle of a tool's marker; nothing when it has none.
  std::optional<QPointF> marker_pixel(PartId tool) const;
  QRectF picture_area(std::size_t picture) const { return rig_.area(picture); }
  bool picking() const { return pointer_.picking(); }
  bool stop_picking() { return pointer_.stop_picking(); }
  void draw_outline(DrawKind kind, DrawPlane plane, OutlineDraw::Answer answer) { pointer_.draw_outline(kind, plane, std::move(answer)); }
  bool drawing() const { return pointer_.drawing(); }
  bool stop_drawing() { return pointer_.stop_drawing(); }
  /// Pixel of a grip of the step that is worked on, in the first picture.
  std::optional<QPointF> grip_pixel(const std::string& field, int component = -1) const { return pointer_.handles_in(rig_.picture(0)).grip_pixel(field, component); }
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
  void tool_menu_wanted(const anvil::Job::Use& use, const QPoint& global);

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
  void advance_still();
  void camera_moved();
  void paint_overlay(QPainter& painter, std::size_t index);
  void paint_marks(QPainter& painter, const Picture& here, std::size_t index);
  void paint_vertices(QPainter& painter, const Picture& here);

  Session& session_;
  ScenePainter scene_;
  QTimer still_timer_;  // draws on at the still picture
  bool tried_ = false, usable_ = false;
  CameraRig rig_{this};
  Pointer pointer_{session_, rig_, this};
  FrameStyle style_;
  bool marks_ = true, marks_through_ = false, isolated_ = false, deviation_map_ = false, belonging_ = false;
  std::optional<std::pair<PartId, Place>> place_;
  std::optional<std::array<Vec3, 2>> measure_;
  bool fit_when_ready_ = true;
  QTimer settle_;  // ends the lighter drawing shortly after the last camera move
};

}  // namespace anvil::app
