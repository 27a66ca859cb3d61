// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/drag.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "job/edit.h"

namespace anvil::app {
namespace {

Vec3 main_axis(const Vec3& v) {
  Vec3 axis = Vec3::Zero();
  Eigen::Index k;
  v.cwiseAbs().maxCoeff(&k);
  axis[k] = v[k] < 0 ? -1 : 1;
  return axis;
}

double tidy(double degrees) {
  return std::round(degrees * 1e9) / 1e9;
}

}  // namespace

Vec3 handle_axis(const Session& session, PartId part, HandleMode mode, int axis) {
  if (mode != HandleMode::scale) return Vec3::Unit(axis);
  return session.job().world_of(part).linear().col(axis).normalized();
}

PartDrag::PartDrag(const Session& session, std::vector<PartId> parts, HandleMode mode, int axis, const Vec3& pivot,
                   const Vec3& grabbed)
    : session_(session),
      start_(session.history().current()),
      mode_(mode),
      axis_(axis),
      pivot_(pivot),
      grabbed_(grabbed),
      amount_(mode == HandleMode::scale ? 1 : 0) {
  const Job& job = *start_;
  for (PartId id : parts) {
    // A tool that rides on a part that moves as well is carried by it.
    bool carried = false;
    for (auto on = job.at(id).rides_on; on; on = job.at(*on).rides_on)
      carried = carried || std::find(parts.begin(), parts.end(), *on) != parts.end();
    if (carried || job.at(id).locked) continue;
    const Part& part = job.at(id);
    const PartResult r = session.result(id);
    const Affine frame = part.rides_on ? job.world_of(*part.rides_on) : Affine::Identity();
    parts_.push_back(
        {id, part.placement, job.world_of(id), frame,
         r.evaluated && r.evaluated->drawable ? r.evaluated->drawable->box.centre() : Vec3(0, 0, 0)});
  }
  std::vector<PartId> others;
  for (const PartPtr& part : job.parts) {
    const bool moves = std::any_of(parts_.begin(), parts_.end(), [&](const Moved& m) {
      return part->id == m.id || part->rides_on == m.id;
    });
    if (part->visible && !moves) others.push_back(part->id);
  }
  catchable_ = targets(session, others);
}

Vec3 PartDrag::free_shift(const Input& input) const {
  const Ray ray = input.camera.ray(input.pixel, input.size);
  if (axis_ >= 0) {
    const Vec3 axis = Vec3::Unit(axis_);
    const auto to = along_axis(ray, grabbed_, axis);
    return to ? Vec3(axis * *to) : shift_;
  }
  // Dragged by its body, a part moves in the plane of the job's axes that is seen most nearly from the front.
  const auto to = on_plane(ray, grabbed_, main_axis(input.camera.forward()));
  if (!to) return shift_;
  Vec3 shift = *to - grabbed_;
  if (input.one_direction) shift = main_axis(shift) * shift.cwiseAbs().maxCoeff();
  return shift;
}

Job PartDrag::follow(const Input& input) {
  caught_.reset();
  if (idle()) return *start_;
  const Ray ray = input.camera.ray(input.pixel, input.size);
  if (mode_ == HandleMode::move) {
    Vec3 shift = free_shift(input);
    if (input.snap.on) {
      if (const auto hit = pick(catchable_, ray)) caught_ = catch_on(*hit, input.snap, input.camera, input.pixel, input.size);
      if (caught_) {
        shift = *caught_ - grabbed_;
        if (axis_ >= 0) shift = Vec3::Unit(axis_) * shift[axis_];
      } else if (input.snap.grid && !parts_.empty()) {
        const Vec3 origin = parts_.front().world.translation();
        for (int k = 0; k < 3; ++k)
          if (shift[k] != 0)
            shift[k] = std::round((origin[k] + shift[k]) / input.grid_step) * input.grid_step - origin[k];
      }
    }
    return moved_by(shift.cwiseMin(max_coordinate / 10).cwiseMax(-max_coordinate / 10));
  }
  if (mode_ == HandleMode::turn) {
    const Vec3 axis = Vec3::Unit(axis_);
    auto at = on_plane(ray, pivot_, axis);
    if (!at) return *session_.history().current();
    const Vec3 u = Vec3::Unit((axis_ + 1) % 3), v = Vec3::Unit((axis_ + 2) % 3);
    const double angle = std::atan2((*at - pivot_).dot(v), (*at - pivot_).dot(u)) * 180 / std::numbers::pi;
    if (!start_value_) start_value_ = angle;
    const double step = input.snap.on ? 15 : 0.5;
    return turned_by(std::round(std::remainder(angle - *start_value_, 360.0) / step) * step);
  }
  const Vec3 axis = axis_ >= 0 ? handle_axis(session_, parts_.front().id, mode_, axis_)
                               : Vec3(input.camera.right());
  const auto to = along_axis(ray, pivot_, axis);
  if (!to) return *session_.history().current();
  if (!start_value_) start_value_ = std::abs(*to) < 1e-9 ? 1e-9 : *to;
  const double step = input.snap.on ? 0.1 : 0.01;
  return scaled_by(std::clamp(std::round(*to / *start_value_ / step) * step, 0.01, 1000.0));
}

Result<Job> PartDrag::exact(double amount) {
  caught_.reset();
  Job job = *start_;
  if (mode_ == HandleMode::turn) {
    job = turned_by(amount);
  } else if (mode_ == HandleMode::scale) {
    if (!(amount > 0)) return Issue{"a factor of zero or less leaves nothing of it", job.at(parts_[0].id).name, {}, "type a larger one"};
    job = scaled_by(amount);
  } else {
    const Vec3 direction = axis_ >= 0 ? Vec3(Vec3::Unit(axis_) * (shift_[axis_] < 0 ? -1 : 1)) : main_axis(shift_);
    job = moved_by(direction * amount);
  }
  for (const Moved& m : parts_)
    if (auto issue = edit::check_placement(job.at(m.id).placement)) {
      issue->subject = job.at(m.id).name;
      return *issue;
    }
  return job;
}

Job PartDrag::moved_by(const Vec3& shift) {
  shift_ = shift;
  amount_ = shift.norm();
  Job job = *start_;
  for (const Moved& m : parts_)
    job = edit::change_part(job, m.id, [&](Part& part) {
      const Vec3 own = m.frame.linear().isIdentity(0) ? shift : Vec3(m.frame.linear().inverse() * shift);
      part.placement.position = m.start.position + own;
    });
  return job;
}

Job PartDrag::turned_by(double degrees) {
  amount_ = degrees;
  const auto [s, c] = sine_cosine(degrees);
  Eigen::Matrix3d turn = Eigen::Matrix3d::Identity();
  const int u = (axis_ + 1) % 3, v = (axis_ + 2) % 3;
  turn(u, u) = c, turn(u, v) = -s, turn(v, u) = s, turn(v, v) = c;
  Affine about = Affine::Identity();
  about.linear() = turn;
  about.translation() = pivot_ - turn * pivot_;
  Job job = *start_;
  for (const Moved& m : parts_) {
    const Job unchanged = job;
    job = edit::change_part(job, m.id, [&](Part& part) {
      part.placement = edit::placement_for_world(unchanged, m.id, about * m.world);
      if (part.rides_on) return;
      // On its own a part is turned, nothing else: the numbers stay as tidy as they were. Around z the angles simply add
      // up, without passing through sines.
      if (axis_ == 2) part.placement.angles = m.start.angles + Vec3(0, 0, degrees);
      for (double& angle : part.placement.angles) angle = tidy(std::remainder(angle, 360.0));
      part.placement.scale = m.start.scale;
      part.placement.shear = m.start.shear;
    });
  }
  return job;
}

Job PartDrag::scaled_by(double factor) {
  amount_ = factor;
  Job job = *start_;
  for (const Moved& m : parts_)
    job = edit::change_part(job, m.id, [&](Part& part) {
      for (int k = 0; k < 3; ++k)
        if (axis_ < 0 || axis_ == k) part.placement.scale[k] = m.start.scale[k] * factor;
      // The centre of the part stays where it is.
      const Vec3 centre = m.start.matrix() * m.own_centre;
      part.placement.position += centre - part.placement.matrix() * m.own_centre;
    });
  return job;
}

QString PartDrag::label() const {
  switch (mode_) {
    case HandleMode::move:
      return QObject::tr("move");
    case HandleMode::turn:
      return QObject::tr("turn");
    case HandleMode::scale:
      return QObject::tr("scale");
  }
  return {};
}

QString PartDrag::text() const {
  switch (mode_) {
    case HandleMode::move:
      return QObject::tr("Moved %1 mm  (right %2, back %3, up %4)")
          .arg(amount_, 0, 'f', 2)
          .arg(shift_.x(), 0, 'f', 2)
          .arg(shift_.y(), 0, 'f', 2)
          .arg(shift_.z(), 0, 'f', 2);
    case HandleMode::turn:
      return QObject::tr("Turned %1°").arg(amount_, 0, 'f', 1);
    case HandleMode::scale:
      return QObject::tr("Scaled × %1").arg(amount_, 0, 'f', 2);
  }
  return {};
}

}  // namespace anvil::app
