// SPDX-License-Identifier: GPL-3.0-or-later
// The special editor of a plane: beside its numbers, ways to say where it is meant.
#pragma once

#include <QPointer>
#include <QWidget>

#include "app/session.h"

namespace anvil::app {

/// Buttons that set the plane of a step: across the part's or the job's axes, by a picked face, by three picked points,
/// through the middle, turned over. The numbers beside it and the handles in the view do the rest.
class PlaneEditor : public QWidget {
  Q_OBJECT

 public:
  /// @param point, normal  places of the two fields of the step
  PlaneEditor(Session& session, StepId step, std::size_t point, std::size_t normal, QWidget* parent = nullptr);

 private:
  /// In the part's own frame.
  void set_plane(const QString& label, const std::optional<Vec3>& point, const std::optional<Vec3>& normal);
  Vec3 current(std::size_t field) const;
  PartId owner() const;

  Session& session_;
  StepId step_;
  std::size_t point_, normal_;
};

}  // namespace anvil::app
