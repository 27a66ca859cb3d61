// SPDX-License-Identifier: GPL-3.0-or-later
// The grips of the step that is worked on, and what dragging one does to its fields.
#pragma once

#include "app/view/drag.h"
#include "job/grip.h"

namespace anvil::app {

/// A grip as it stands in the job's space.
struct PlacedGrip {
  PartId part = 0;
  StepId step = 0;
  std::size_t field = 0;
  Grip grip;
  Affine world = Affine::Identity();
  Vec3 from, at;  ///< where its line begins, and where it stands
  QString label;  ///< "Width 2.5 mm"
  double value = 0;  ///< of a number

  /// Of a number.
  void stand_at(const Grip::Place& place);
};
/// Those of the active step, from its last result; none where it failed or is locked.
std::vector<PlacedGrip> placed_grips(const Session& session);
/// What that step shows beside them, in the job's space.
Guides placed_guides(const Session& session);

class GripDrag : public Drag {
 public:
  GripDrag(const Session& session, PlacedGrip grip);

  Job follow(const Input& input) override;
  /// The number itself; of a point how far it is moved along the way taken so far.
  Result<Job> exact(double amount) override;
  QString text() const override;
  QString label() const override;
  bool idle() const override { return false; }

 private:
  Result<Job> with(const FieldValue& value);
  Result<Job> with_number(double value);
  Result<Job> with_point(const Vec3& world_point);

  JobPtr start_;
  PlacedGrip grip_;
  std::vector<Target> catchable_;
  std::optional<double> off_;  // between the pointer and the grip at first, in its number
  Vec3 moved_ = Vec3::Zero();
  QString now_;
};

}  // namespace anvil::app
