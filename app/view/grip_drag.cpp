// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/grip_drag.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <numbers>

#include "core/outline.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

QString in_qt(const std::string& text) { return QString::fromStdString(text); }

double number_of(const FieldValue& value, int component) {
  if (const auto* v = std::get_if<Vec3>(&value)) return (*v)[component];
  return std::get<double>(value);
}

/// The value with another number.
FieldValue with_number_in(FieldValue value, int component, double number) {
  if (auto* v = std::get_if<Vec3>(&value))
    (*v)[component] = number;
  else
    value = number;
  return value;
}

/// How many ways from its origin a grip stands for a value, and the value for which it stands there.
double ways_of(const Grip& grip, double value) { return grip.what == Grip::What::lean ? std::tan(value * std::numbers::pi / 180) : value; }
double value_of(const Grip& grip, double ways) { return grip.what == Grip::What::lean ? std::atan(ways) * 180 / std::numbers::pi : ways; }

bool is_point(const Grip& grip) { return grip.what == Grip::What::in_plane || grip.what == Grip::What::outline_point; }

OutlinePoint* point_of(Outline& outline, int number) {
  for (OutlineLoop& loop : outline) {
    if (number < static_cast<int>(loop.size())) return &loop[static_cast<std::size_t>(number)];
    number -= static_cast<int>(loop.size());
  }
  return nullptr;
}

QString label_of(const Field& field, const Grip& grip, const FieldValue& value) {
  if (grip.what == Grip::What::outline_point) return {};
  if (grip.what == Grip::What::in_plane) return in_qt(field.label);
  Field one = field;
  if (grip.component >= 0) one.kind = field.kind == FieldKind::counts ? FieldKind::count : FieldKind::length;
  return QStringLiteral("%1 %2").arg(in_qt(field.label), in_qt(in_words(one, FieldValue(number_of(value, grip.component)))));
}

/// Calls with what the last result says of the active step; not where it failed or is locked.
void with_active_step(const Session& session, const std::function<void(const Job::Found&, const StepReport&, const Affine&)>& use) {
  const Job::Found found = session.job().find_step(session.active_step());
  if (!found || found.part->locked || !found.step->on) return;
  const PartResult result = session.result(found.part->id);
  if (!result.evaluated) return;
  for (const StepReport& report : result.evaluated->steps)
    if (result.cast.step(report.step) == found.step->id) use(found, report, session.job().world_of(found.part->id));
}

}  // namespace

std::vector<PlacedGrip> placed_grips(const Session& session) {
  std::vector<PlacedGrip> placed;
  with_active_step(session, [&](const Job::Found& found, const StepReport& report, const Affine& world) {
    for (const Grip& grip : report.grips) {
      const auto place = field_place(found.step->kind->fields, grip.field);
      if (!place) continue;
      PlacedGrip one;
      one.part = found.part->id;
      one.step = found.step->id;
      one.field = *place;
      one.grip = grip;
      one.world = world;
      const FieldValue& value = found.step->fields[*place];
      one.label = label_of(found.step->kind->fields[*place], grip, value);
      one.from = one.at = world * grip.origin;
      if (grip.what == Grip::What::in_plane) one.at = world * std::get<Vec3>(value);
      if (!is_point(grip)) {
        one.value = number_of(value, grip.component);
        one.stand_at({grip.origin, grip.way});
      }
      placed.push_back(std::move(one));
    }
  });
  return placed;
}

void PlacedGrip::stand_at(const Grip::Place& place) {
  grip.origin = place.origin, grip.way = place.way;
  from = world * place.origin;
  at = world * (place.origin + ways_of(grip, value) * place.way);
}

Guides placed_guides(const Session& session) {
  Guides placed;
  with_active_step(session, [&](const Job::Found&, const StepReport& report, const Affine& world) {
    for (Guide guide : report.guides) {
      for (Vec3& p : guide.line) p = world * p;
      placed.push_back(std::move(guide));
    }
  });
  return placed;
}

GripDrag::GripDrag(const Session& session, PlacedGrip grip) : start_(session.history().committed()), grip_(std::move(grip)) {
  std::vector<PartId> parts;
  for (const PartPtr& part : start_->parts)
    if (part->visible) parts.push_back(part->id);
  catchable_ = targets(session, parts);
}

Result<Job> GripDrag::with(const FieldValue& value) {
  const Field& field = start_->find_step(grip_.step).step->kind->fields[grip_.field];
  now_ = is_point(grip_.grip) ? QObject::tr("%1 moved %2 mm").arg(in_qt(field.label)).arg(moved_.norm(), 0, 'f', 2) : label_of(field, grip_.grip, value);
  return edit::change_step(*start_, grip_.step, [&](Step& step) { step.fields[grip_.field] = value; });
}

Result<Job> GripDrag::with_number(double value) {
  return with(with_number_in(start_->find_step(grip_.step).step->fields[grip_.field], grip_.grip.component, value));
}

Result<Job> GripDrag::with_point(const Vec3& world_point) {
  moved_ = world_point - grip_.at;
  const Vec3 own = grip_.world.inverse() * world_point;
  if (grip_.grip.what == Grip::What::in_plane) return with(own);
  const FieldValue& before = start_->find_step(grip_.step).step->fields[grip_.field];
  Result<Outline> outline = parse_outline(std::get<std::string>(before));
  if (!outline) return outline.issue();
  if (OutlinePoint* point = point_of(*outline, grip_.grip.component)) point->at = grip_.grip.frame.of(own);
  return with(to_text(*outline));
}

Job GripDrag::follow(const Input& input) {
  caught_.reset();
  const Ray ray = input.camera.ray(input.pixel, input.size);
  const auto caught = [&]() -> std::optional<Vec3> {
    if (input.snap.on)
      if (const auto hit = pick(catchable_, ray)) caught_ = catch_on(*hit, input.snap, input.camera, input.pixel, input.size);
    return caught_;
  };
  Result<Job> job = *start_;
  if (is_point(grip_.grip)) {
    const Vec3 normal = (grip_.world.linear().inverse().transpose() * grip_.grip.way).stableNormalized();
    if (auto to = on_plane(ray, grip_.at, normal)) {
      if (const auto on = caught()) to = *on - (*on - grip_.at).dot(normal) * normal;
      if (input.one_direction) {
        const Vec3 shift = *to - grip_.at;
        Eigen::Index axis = 0;
        shift.cwiseAbs().maxCoeff(&axis);
        Vec3 along = Vec3::Unit(axis) - normal[axis] * normal;
        if (along.norm() > 1e-6) to = grip_.at + shift.dot(along.normalized()) * along.normalized();
      }
      job = with_point(*to);
    }
  } else {
    const Vec3 way = grip_.world.linear() * grip_.grip.way;
    const double length = way.norm();
    const Field& field = start_->find_step(grip_.step).step->kind->fields[grip_.field];
    if (const auto to = along_axis(ray, grip_.from, way / length); to && length > 0) {
      const double before = number_of(start_->find_step(grip_.step).step->fields[grip_.field], grip_.grip.component);
      if (!off_) off_ = *to / length - ways_of(grip_.grip, before);
      double value = value_of(grip_.grip, *to / length - *off_);
      if (const auto on = caught(); on && grip_.grip.what != Grip::What::count) {
        value = value_of(grip_.grip, (*on - grip_.from).dot(way) / way.squaredNorm());
      } else {
        const double fine = input.snap.on ? 1 : 0.1;
        const double step = grip_.grip.what == Grip::What::count ? 1 : grip_.grip.what == Grip::What::lean ? fine : fine * input.grid_step / 10;
        value = std::round(value / step) * step;
      }
      // Zero where that is allowed, and never beyond what can be typed.
      const double least = field.kind == FieldKind::offset ? -max_coordinate : field.min, most = field.kind == FieldKind::offset ? max_coordinate : field.max;
      job = with_number(std::clamp(value, std::max(least, field.kind == FieldKind::length && least > 0 ? input.grid_step / 100 : least), most));
    }
  }
  return job ? *job : *start_;
}

Result<Job> GripDrag::exact(double amount) {
  caught_.reset();
  if (!is_point(grip_.grip)) return with_number(amount);
  if (moved_.norm() == 0) return Issue{"has no direction yet", "", {}, "drag it a little first"};
  return with_point(grip_.at + amount * moved_.normalized());
}

QString GripDrag::label() const { return QObject::tr("change %1").arg(in_qt(start_->find_step(grip_.step).step->kind->fields[grip_.field].label).toLower()); }

QString GripDrag::text() const { return now_; }

}  // namespace anvil::app
