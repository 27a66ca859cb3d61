// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/camera_rig.h"

#include <cmath>

namespace anvil::app {
namespace {

constexpr int flight_ms = 260;
constexpr std::array<Direction, 4> four_directions = {Direction::corner, Direction::top, Direction::front, Direction::right};

double turned(double from, double to, double t) { return from + std::remainder(to - from, 360.0) * t; }

}  // namespace

CameraRig::CameraRig(QObject* parent) : QObject(parent) {
  for (std::size_t k = 0; k < cameras_.size(); ++k) {
    cameras_[k].look(four_directions[k]);
    cameras_[k].parallel = k > 0;
  }
  flight_.setInterval(15);
  connect(&flight_, &QTimer::timeout, this, &CameraRig::advance);
}

void CameraRig::advance() {
  const double t = std::min(1.0, static_cast<double>(clock_.elapsed()) / flight_ms);
  const double eased = t * t * (3 - 2 * t);
  Camera& camera = cameras_[flying_];
  camera.focus = from_.focus + eased * (to_.focus - from_.focus);
  camera.distance = from_.distance * std::pow(to_.distance / from_.distance, eased);
  camera.yaw = turned(from_.yaw, to_.yaw, eased);
  camera.pitch = from_.pitch + eased * (to_.pitch - from_.pitch);
  if (t >= 1) {
    camera = to_;
    flight_.stop();
  }
  emit moved();
}

QRectF CameraRig::area(std::size_t index) const {
  if (!four_) return QRectF(QPointF(), size_);
  const double w = size_.width() / 2, h = size_.height() / 2;
  // Corner view at the upper right, as a sheet of drawing has it: top over front, side beside.
  static constexpr int column[4] = {1, 0, 0, 1}, row[4] = {0, 0, 1, 1};
  return {column[index] * w, row[index] * h, w, h};
}

std::size_t CameraRig::at(const QPointF& pixel) const {
  for (std::size_t k = 0; k < count(); ++k)
    if (area(k).contains(pixel)) return k;
  return 0;
}

QString CameraRig::name(std::size_t picture) const {
  return picture == 0 ? QString() : QString::fromLatin1(label_of(four_directions[picture]));
}

Ray CameraRig::ray(std::size_t picture, const QPointF& pixel) const {
  return cameras_[picture].ray(pixel - area(picture).topLeft(), area(picture).size());
}

Camera CameraRig::destination(std::size_t picture) const { return flight_.isActive() && flying_ == picture ? to_ : cameras_[picture]; }

void CameraRig::fly(std::size_t picture, const Camera& to) {
  if (flight_.isActive() && flying_ != picture) cameras_[flying_] = to_;  // one flies at a time; the other is there at once
  flying_ = picture;
  from_ = cameras_[picture];
  to_ = to;
  to_.parallel = from_.parallel;
  clock_.start();
  flight_.start();
}

void CameraRig::look(std::size_t picture, Direction direction) {
  Camera target = destination(picture);
  target.look(direction);
  fly(picture, target);
}

void CameraRig::fit(std::size_t picture, const Box3& box, double margin) {
  Camera target = destination(picture);
  target.fit(box, area(picture).size());
  target.distance *= margin;
  fly(picture, target);
}

void CameraRig::jump_to_fit(const Box3& box) {
  for (std::size_t k = 0; k < cameras_.size(); ++k) cameras_[k].fit(box, area(k % count()).size());
}

void CameraRig::set_four(bool four, const Box3& scene) {
  if (flight_.isActive()) {
    flight_.stop();
    cameras_[flying_] = to_;
  }
  four_ = four;
  if (four)
    for (std::size_t k = 1; k < 4; ++k) cameras_[k].fit(scene, area(k).size());
}

double CameraRig::grid_step() const {
  // 1, 2 or 5 times a power of ten, about 40 pixels wide at the focus.
  const double wanted = 40 * camera(0).pixel_length(camera(0).focus, area(0).size());
  const double power = std::pow(10.0, std::floor(std::log10(std::max(wanted, 1e-9))));
  for (const double factor : {1.0, 2.0, 5.0})
    if (factor * power >= wanted) return factor * power;
  return 10 * power;
}

}  // namespace anvil::app
