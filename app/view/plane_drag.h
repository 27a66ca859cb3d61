// SPDX-License-Identifier: GPL-3.0-or-later
// The plane of a step, moved along its normal or tilted.
#pragma once

#include "app/view/drag.h"
#include "app/view/work_plane.h"

namespace anvil::app {

class PlaneDrag : public Drag {
 public:
  enum What { shift, turn_u, turn_v };
  PlaneDrag(const Session& session, const WorkPlane& plane, What what);

  Job follow(const Input& input) override;
  Result<Job> exact(double amount) override;
  QString text() const override;
  QString label() const override;
  bool idle() const override { return false; }

 private:
  Result<Job> by(double amount);

  JobPtr start_;
  WorkPlane plane_;
  What what_;
  std::vector<Target> catchable_;
  std::optional<double> start_value_;
  double amount_ = 0;
};

}  // namespace anvil::app
