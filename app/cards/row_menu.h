// SPDX-License-Identifier: GPL-3.0-or-later
// Which row of a recipe is meant, and what can be done with it: offered by the row itself and by its marker in the view.
#pragma once

#include <QMenu>

#include "app/session.h"

namespace anvil::app {

/// What a row stands for, and where.
struct RowId {
  StepId step = 0;
  UseId use = 0;    ///< of a part in a set's tray: that of the tray
  PartId tool = 0;  ///< 0: a tray
  bool by_set = false;
  UseId tray = 0;      ///< that it stands in; 0: straight in the step
  std::size_t at = 0;  ///< its place there
  int depth = 0;
  bool operator==(const RowId&) const = default;
};
/// The row of a tool that is used so.
RowId row_of(const Job& job, const Job::Use& use);

/// Adds an action for each operation that the row may have.
void fill_operation_menu(Session& session, const RowId& row, QMenu& menu);
/// Adds all that can be done with the row.
void fill_row_menu(Session& session, const RowId& row, QMenu& menu);

}  // namespace anvil::app
