// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/camera.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace anvil::app {
namespace {

const double half_height = std::tan(Camera::field_of_view * std::numbers::pi / 360);

}  // namespace

const char* label_of(Direction direction) {
  switch (direction) {
    case Direction::front:
      return "front";
    case Direction::back:
      return "back";
    case Direction::left:
      return "left";
    case Direction::right:
      return "right";
    case Direction::top:
      return "top";
    case Direction::bottom:
      return "bottom";
    case Direction::corner:
      return "corner";
  }
  return "";
}

void Camera::look(Direction direction) {
  switch (direction) {
    case Direction::front:
      yaw = 0, pitch = 0;
      break;
    case Direction::back:
      yaw = 180, pitch = 0;
      break;
    case Direction::left:
      yaw = -90, pitch = 0;
      break;
    case Direction::right:
      yaw = 90, pitch = 0;
      break;
    case Direction::top:
      yaw = 0, pitch = 90;
      break;
    case Direction::bottom:
      yaw = 0, pitch = -90;
      break;
    case Direction::corner:
      yaw = 35, pitch = 28;
      break;
  }
}

Vec3 Camera::forward() const {
  const auto [sy, cy] = sine_cosine(yaw);
  const auto [sp, cp] = sine_cosine(pitch);
  return {-sy * cp, cy * cp, -sp};
}
Vec3 Camera::right() const {
  const auto [sy, cy] = sine_cosine(yaw);
  return {cy, sy, 0};
}
Vec3 Camera::up() const {
  return right().cross(forward());
}

void Camera::orbit(const Vec3& pivot, double yaw_degrees, double pitch_degrees) {
  const Vec3 before = view_matrix() * pivot;
  yaw = std::remainder(yaw + yaw_degrees, 360.0);
  pitch = std::clamp(pitch + pitch_degrees, -90.0, 90.0);
  const Vec3 shift = view_matrix() * pivot - before;
  focus += right() * shift.x() + up() * shift.y() - forward() * shift.z();
}

double Camera::pixel_length(const Vec3& at, const QSizeF& size) const {
  const double depth = parallel ? distance : std::max((at - eye()).dot(forward()), distance * 1e-4);
  return 2 * depth * half_height / std::max(1.0, size.height());
}

void Camera::pan(const Vec3& at, const QPointF& pixels, const QSizeF& size) {
  const double length = pixel_length(at, size);
  focus += length * (-pixels.x() * right() + pixels.y() * up());
}

void Camera::zoom(const Vec3& at, double factor) {
  const double next = std::clamp(distance * factor, 1e-5, 1e8);
  const double applied = next / distance;
  focus = at + (focus - at) * applied;
  distance = next;
}

void Camera::fit(const Box3& box, const QSizeF& size) {
  if (box.empty()) return;
  focus = box.centre();
  const double aspect = size.width() / std::max(1.0, size.height());
  constexpr double margin = 1.25;  // room for handles and the pills above
  double needed = 1e-4;
  for (int corner = 0; corner < 8; ++corner) {
    const Vec3 p = Vec3(corner & 1 ? box.hi.x() : box.lo.x(), corner & 2 ? box.hi.y() : box.lo.y(),
                        corner & 4 ? box.hi.z() : box.lo.z()) -
                   focus;
    const double across = std::max(std::abs(p.dot(right())) / aspect, std::abs(p.dot(up()))) / half_height;
    needed = std::max(needed, margin * across + (parallel ? 0 : -p.dot(forward())));
  }
  distance = needed;
}

Affine Camera::view_matrix() const {
  Affine view = Affine::Identity();
  view.linear().row(0) = right().transpose();
  view.linear().row(1) = up().transpose();
  view.linear().row(2) = -forward().transpose();
  view.translation() = -(view.linear() * eye());
  return view;
}

QMatrix4x4 Camera::projection(const QSizeF& size, const Box3& scene) const {
  const double aspect = size.width() / std::max(1.0, size.height());
  const double radius = std::max(scene.diagonal(), distance);
  const double middle = (scene.centre() - eye()).dot(forward());
  QMatrix4x4 result;
  if (parallel) {
    const double h = distance * half_height;
    result.ortho(static_cast<float>(-h * aspect), static_cast<float>(h * aspect), static_cast<float>(-h),
                 static_cast<float>(h), static_cast<float>(middle - 2 * radius),
                 static_cast<float>(middle + 2 * radius));
  } else {
    const double far_plane = std::max(middle + 2 * radius, distance);
    const double near_plane = std::max({middle - radius, far_plane * 5e-4, distance * 1e-3});
    result.perspective(static_cast<float>(field_of_view), static_cast<float>(aspect),
                       static_cast<float>(near_plane), static_cast<float>(far_plane));
  }
  return result;
}

bool Camera::project(const Vec3& point, const QSizeF& size, QPointF& pixel) const { return Projector(*this, Affine::Identity(), size)(point, pixel); }

Projector::Projector(const Camera& camera, const Affine& world, const QSizeF& size)
    : to_view_(camera.view_matrix() * world), size_(size), parallel_(camera.parallel), distance_(camera.distance) {}

bool Projector::operator()(const Vec3& point, QPointF& pixel) const {
  const Vec3 p = to_view_ * point;
  const double depth = parallel_ ? distance_ : -p.z();
  if (depth <= distance_ * 1e-6) return false;
  const double scale = size_.height() / (2 * depth * half_height);
  pixel = {size_.width() / 2 + p.x() * scale, size_.height() / 2 - p.y() * scale};
  return true;
}

Ray Camera::ray(const QPointF& pixel, const QSizeF& size) const {
  const double unit = 2 * half_height / std::max(1.0, size.height());
  const double x = (pixel.x() - size.width() / 2) * unit, y = (size.height() / 2 - pixel.y()) * unit;
  if (parallel) {
    // Start well before everything: parts may lie between the eye and the picture plane.
    const Vec3 at = focus + distance * (x * right() + y * up());
    return {at - 1e3 * distance * forward(), forward()};
  }
  return {eye(), (forward() + x * right() + y * up()).normalized()};
}

}  // namespace anvil::app
