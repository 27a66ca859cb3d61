// SPDX-License-Identifier: GPL-3.0-or-later
// Recast: steps that make a new mesh of whatever there is. One verb for each kind of step that names this station.
#include "app/rail_panel.h"
#include "app/stations/desk.h"
#include "job/step.h"

namespace anvil::app {

void add_recast_verbs(Desk& desk) {
  for (const StepKind* kind : step_table()) {
    if (kind->station != "recast") continue;
    QAction* action = desk.book.add(Station::recast, QObject::tr("Recast"), QString::fromStdString(kind->key), QString::fromStdString(kind->label), QString::fromStdString(kind->icon),
                                    {key(kind->shortcut.c_str())}, QString::fromStdString(kind->help), [desk, kind]() mutable { add_step(desk.window, desk.session, *kind); });
    desk.book.allow(action, [desk] { return desk.any_chosen(); });
    if (kind == &steps::recast) desk.rail.offer_for_points(action);
  }
}

}  // namespace anvil::app
