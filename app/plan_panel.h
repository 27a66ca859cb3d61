// SPDX-License-Identifier: GPL-3.0-or-later
// The mend plan: what mending would do to the part, repair by repair, before anything happens. Stands in the rail.
#pragma once

#include <QCheckBox>

#include "app/session.h"
#include "app/widgets.h"

namespace anvil::app {

class PlanPanel : public QFrame {
  Q_OBJECT

 public:
  explicit PlanPanel(Session& session, QWidget* parent = nullptr);
  /// Shows the plan, or offers to make one where the part is not sound.
  void refresh();
  bool has_plan() const { return !ticks_.empty(); }
  void mend_ticked();

 private:
  void offer(PartId part);
  void show_plan(PartId part, const Session::MendPlan& plan);

  Session& session_;
  QVBoxLayout* layout_;
  std::vector<std::pair<QCheckBox*, std::string>> ticks_;  // with the mender's key
  std::shared_ptr<const Comparison> shown_;
  ReportPtr offered_for_;
};

}  // namespace anvil::app
