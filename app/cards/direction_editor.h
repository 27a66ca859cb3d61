// SPDX-License-Identifier: GPL-3.0-or-later
// The special editor of a direction: beside its numbers, ways to say where it points.
#pragma once

#include <QWidget>

#include "app/session.h"

namespace anvil::app {

/// Buttons that set a direction of a step: along an axis, along an edge that is clicked, out of a face, from point to point, turned round. Where a choice of
/// the step names the field (as "all along a direction"), that is chosen with it.
class DirectionEditor : public QWidget {
  Q_OBJECT

 public:
  /// @param field  place of the field of the step
  DirectionEditor(Session& session, StepId step, std::size_t field, QWidget* parent = nullptr);

 private:
  /// @param direction  in the job's space, of any length but 0
  /// @param keep_side  turned so that it points where it points now, rather than against that
  void set_direction(const QString& label, const Vec3& direction, bool keep_side = false);

  Session& session_;
  StepId step_;
  std::size_t field_;
};

}  // namespace anvil::app
