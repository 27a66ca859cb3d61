// SPDX-License-Identifier: GPL-3.0-or-later
// One viewpoint: where it looks, from where, and how points and pixels correspond. z is up.
#pragma once

#include <QMatrix4x4>
#include <QPointF>
#include <QSizeF>

#include "job/placement.h"

namespace anvil::app {

enum class Direction { front, back, left, right, top, bottom, corner };
const char* label_of(Direction direction);

struct Ray {
  Vec3 origin, direction;  ///< direction has length 1
};

class Camera {
 public:
  Vec3 focus = Vec3::Zero();
  double distance = 250;  ///< from the eye to the focus, mm
  double yaw = -55;       ///< degrees around z; 0 looks along +y (from the front)
  double pitch = 28;      ///< degrees above the horizon
  bool parallel = false;

  void look(Direction direction);
  /// Turns around a fixed point, which stays where it is in the picture.
  void orbit(const Vec3& pivot, double yaw_degrees, double pitch_degrees);
  /// Shifts the picture by pixels, so that `at` follows the pointer.
  void pan(const Vec3& at, const QPointF& pixels, const QSizeF& size);
  /// Moves nearer (factor < 1) or away, keeping `at` where it is in the picture.
  void zoom(const Vec3& at, double factor);
  /// Shows the whole box, keeping the direction.
  void fit(const Box3& box, const QSizeF& size);

  Vec3 forward() const;
  Vec3 right() const;
  Vec3 up() const;
  Vec3 eye() const { return focus - distance * forward(); }
  /// Length at `at` that one pixel covers.
  double pixel_length(const Vec3& at, const QSizeF& size) const;

  /// Camera space from job space; the eye at the origin looking along −z.
  Affine view_matrix() const;
  /// Clip space from camera space, near and far planes chosen around `scene`.
  QMatrix4x4 projection(const QSizeF& size, const Box3& scene) const;
  /// Pixel for a point; false when it lies behind the eye.
  bool project(const Vec3& point, const QSizeF& size, QPointF& pixel) const;
  Ray ray(const QPointF& pixel, const QSizeF& size) const;

  static constexpr double field_of_view = 32;  ///< degrees, vertical
};

/// Pixels of many points, as Camera::project() gives them.
class Projector {
 public:
  /// @param world  of the points
  Projector(const Camera& camera, const Affine& world, const QSizeF& size);
  /// @return false behind the eye
  bool operator()(const Vec3& point, QPointF& pixel) const;

 private:
  Affine to_view_;
  QSizeF size_;
  bool parallel_;
  double distance_;
};

}  // namespace anvil::app
