// SPDX-License-Identifier: GPL-3.0-or-later
// The one or four pictures of the view: where each lies in the widget, from where it looks, and flights between views.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QRectF>
#include <QTimer>
#include <array>

#include "app/view/camera.h"

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

class CameraRig : public QObject {
  Q_OBJECT

 public:
  explicit CameraRig(QObject* parent);

  void set_size(const QSizeF& size) { size_ = size; }
  bool four() const { return four_; }
  /// Four views begin by showing `scene`.
  void set_four(bool four, const Box3& scene);
  std::size_t count() const { return four_ ? 4 : 1; }
  QRectF area(std::size_t picture) const;
  std::size_t at(const QPointF& pixel) const;
  Picture picture(std::size_t index) const { return {cameras_[index], area(index)}; }
  /// "", "top", "front", "right" for the four.
  QString name(std::size_t picture) const;

  const Camera& camera(std::size_t picture) const { return cameras_[picture]; }
  Camera& camera(std::size_t picture) { return cameras_[picture]; }
  Ray ray(std::size_t picture, const QPointF& pixel) const;
  /// Of the grid of the first picture, mm.
  double grid_step() const;

  /// Flies the picture there. What is under way ends where it is.
  void look(std::size_t picture, Direction direction);
  void fit(std::size_t picture, const Box3& box, double margin = 1);
  /// Shows the box in all pictures at once, without flying.
  void jump_to_fit(const Box3& box);
  void stop_flight() { flight_.stop(); }

 signals:
  void moved();

 private:
  /// Where the camera of a picture stands, or will stand when its flight has ended.
  Camera destination(std::size_t picture) const;
  void fly(std::size_t picture, const Camera& to);
  void advance();

  QSizeF size_;
  bool four_ = false;
  std::array<Camera, 4> cameras_;
  QTimer flight_;
  QElapsedTimer clock_;
  std::size_t flying_ = 0;  // the picture whose camera flies
  Camera from_, to_;
};

}  // namespace anvil::app
