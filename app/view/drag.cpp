// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/drag.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "job/edit.h"

namespace anvil::app {
namespace {

constexpr double catch_pixels = 12;

/// Where the ray comes nearest to the line through `at` along `axis`, as a distance along the axis.
std::optional<double> along_axis(const Ray& ray, const Vec3& at, const Vec3& axis) {
  const Vec3 between = at - ray.origin;
  const double b = axis.dot(ray.direction);
  const double denominator = 1 - b * b;
  if (denominator < 1e-6) return std::nullopt;  // looking straight along it
  return (b * between.dot(ray.direction) - between.dot(axis)) / denominator;
}

std::optional<Vec3> on_plane(const Ray& ray, const Vec3& at, const Vec3& normal) {
  const double slope = ray.direction.dot(normal);
  if (std::abs(slope) < 1e-4) return std::nullopt;
  return Vec3(ray.origin + ray.direction * ((at - ray.origin).dot(normal) / slope));
}

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

std::vector<Target> targets(const Session& session, const std::vector<PartId>& parts) {
  std::vector<Target> result;
  for (PartId id : parts) {
    const PartResult r = session.result(id);
    if (r.evaluated && r.evaluated->drawable && r.evaluated->drawable->tree)
      result.push_back({id, r.evaluated, session.job().world_of(id)});
  }
  return result;
}

std::optional<Picked> pick(const std::vector<Target>& among, const Ray& ray) {
  std::optional<Picked> nearest;
  for (const Target& target : among) {
    const Affine own = target.world.inverse();
    const Drawable& drawable = *target.evaluated->drawable;
    const auto hit =
        drawable.tree->nearest_hit(target.evaluated->mesh->positions, drawable.triangle_list.triangles,
                                   own * ray.origin, own.linear() * ray.direction);
    if (hit && (!nearest || hit->distance < nearest->distance))
      nearest =
          Picked{target, hit->triangle, hit->distance, Vec3(ray.origin + hit->distance * ray.direction)};
  }
  return nearest;
}

Vec3 handle_axis(const Session& session, PartId part, HandleMode mode, int axis) {
  if (mode != HandleMode::scale) return Vec3::Unit(axis);
  return session.job().world_of(part).linear().col(axis).normalized();
}

Drag::Drag(const Session& session, std::vector<PartId> parts, HandleMode mode, int axis, const Vec3& pivot,
           const Vec3& grabbed)
    : session_(session),
      start_(session.history().committed()),
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

Vec3 Drag::free_shift(const Input& input) const {
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

std::optional<Vec3> Drag::find_catch(const Input& input) const {
  const auto hit = pick(catchable_, input.camera.ray(input.pixel, input.size));
  if (!hit) return std::nullopt;
  const Affine& world = hit->target.world;
  const Mesh& mesh = *hit->target.evaluated->mesh;
  const auto polygon = mesh.face(hit->target.evaluated->drawable->triangle_list.face[hit->triangle]);
  std::optional<Vec3> best;
  double nearest = catch_pixels;
  auto consider = [&](const Vec3& point) {
    QPointF pixel;
    if (!input.camera.project(point, input.size, pixel)) return;
    const double d = std::hypot(pixel.x() - input.pixel.x(), pixel.y() - input.pixel.y());
    if (d < nearest) {
      nearest = d;
      best = point;
    }
  };
  for (std::size_t k = 0; k < polygon.size(); ++k) {
    const Vec3 a = world * mesh.positions[polygon[k]];
    const Vec3 b = world * mesh.positions[polygon[(k + 1) % polygon.size()]];
    if (input.snap.vertices) consider(a);
    if (input.snap.edge_middles) consider(0.5 * (a + b));
  }
  if (!best && input.snap.faces) best = hit->point;
  return best;
}

Job Drag::follow(const Input& input) {
  caught_.reset();
  const Ray ray = input.camera.ray(input.pixel, input.size);
  if (mode_ == HandleMode::move) {
    Vec3 shift = free_shift(input);
    if (input.snap.on) {
      caught_ = find_catch(input);
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
    return moved_by(shift);
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
  const Vec3 axis = axis_ >= 0 ? handle_axis(session_, parts_.empty() ? 0 : parts_.front().id, mode_, axis_)
                               : Vec3(input.camera.right());
  const auto to = along_axis(ray, pivot_, axis);
  if (!to) return *session_.history().current();
  if (!start_value_) start_value_ = std::abs(*to) < 1e-9 ? 1e-9 : *to;
  const double step = input.snap.on ? 0.1 : 0.01;
  return scaled_by(std::max(0.01, std::round(*to / *start_value_ / step) * step));
}

Job Drag::exact(double amount) {
  caught_.reset();
  if (mode_ == HandleMode::turn) return turned_by(amount);
  if (mode_ == HandleMode::scale) return scaled_by(amount > 0 ? amount : 1);
  const Vec3 direction =
      axis_ >= 0 ? Vec3(Vec3::Unit(axis_) * (shift_[axis_] < 0 ? -1 : 1)) : main_axis(shift_);
  return moved_by(direction * amount);
}

Job Drag::moved_by(const Vec3& shift) {
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

Job Drag::turned_by(double degrees) {
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
      // Around z the angles simply add up, without passing through sines.
      if (axis_ == 2 && !part.rides_on) part.placement.angles = m.start.angles + Vec3(0, 0, degrees);
      for (int k = 0; k < 3; ++k)
        part.placement.angles[k] = tidy(std::remainder(part.placement.angles[k], 360.0));
      part.placement.scale = m.start.scale;
    });
  }
  return job;
}

Job Drag::scaled_by(double factor) {
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

QString Drag::label() const {
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

QString Drag::text() const {
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
