// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/plane_drag.h"

#include <cmath>
#include <numbers>

namespace anvil::app {

PlaneDrag::PlaneDrag(const Session& session, const WorkPlane& plane, What what)
    : start_(session.history().committed()), plane_(plane), what_(what) {
  std::vector<PartId> parts;
  for (const PartPtr& part : start_->parts)
    if (part->visible) parts.push_back(part->id);
  catchable_ = targets(session, parts);
}

Result<Job> PlaneDrag::by(double amount) {
  amount_ = amount;
  if (what_ == shift) return with_plane(*start_, plane_, plane_.point + amount * plane_.normal, plane_.normal);
  const Vec3& axis = what_ == turn_u ? plane_.u : plane_.v;
  const auto [s, c] = sine_cosine(amount);
  const Vec3 turned = c * plane_.normal + s * axis.cross(plane_.normal);
  return with_plane(*start_, plane_, plane_.middle, turned);
}

Job PlaneDrag::follow(const Input& input) {
  caught_.reset();
  const Ray ray = input.camera.ray(input.pixel, input.size);
  double amount = amount_;
  if (what_ == shift) {
    const auto to = along_axis(ray, plane_.middle, plane_.normal);
    if (to) {
      if (!start_value_) start_value_ = *to;
      amount = *to - *start_value_;
    }
    if (input.snap.on) {
      if (const auto hit = pick(catchable_, ray)) caught_ = catch_on(*hit, input.snap, input.camera, input.pixel, input.size);
      if (caught_)
        amount = (*caught_ - plane_.point).dot(plane_.normal);
      else if (input.snap.grid) {
        const double from = plane_.point.dot(plane_.normal);
        amount = std::round((from + amount) / input.grid_step) * input.grid_step - from;
      }
    }
  } else {
    const Vec3& axis = what_ == turn_u ? plane_.u : plane_.v;
    if (const auto at = on_plane(ray, plane_.middle, axis)) {
      const Vec3 arm = *at - plane_.middle;
      const double angle = std::atan2(arm.dot(axis.cross(plane_.normal)), arm.dot(plane_.normal)) * 180 / std::numbers::pi;
      if (!start_value_) start_value_ = angle;
      const double step = input.snap.on ? 15 : 0.5;
      amount = std::round(std::remainder(angle - *start_value_, 360.0) / step) * step;
    }
  }
  const Result<Job> job = by(amount);
  return job ? *job : *start_;
}

Result<Job> PlaneDrag::exact(double amount) {
  caught_.reset();
  return by(what_ == shift && amount_ < 0 ? -amount : amount);
}

QString PlaneDrag::label() const { return what_ == shift ? QObject::tr("move the plane") : QObject::tr("tilt the plane"); }

QString PlaneDrag::text() const {
  return what_ == shift ? QObject::tr("Plane moved %1 mm").arg(amount_, 0, 'f', 2) : QObject::tr("Plane tilted %1°").arg(amount_, 0, 'f', 1);
}

}  // namespace anvil::app
