// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/row_menu.h"

#include "app/theme.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

QString tr(const char* text) { return QObject::tr(text); }

void change(Session& session, UseId use, const QString& label, const std::function<void(ToolUse&)>& how) {
  session.commit(label, edit::change_use(session.job(), use, how));
}

void keep(Session& session, const RowId& row, bool kept) {
  session.commit(kept ? tr("keep the tool as it is") : tr("let the tool follow its recipe"),
                 edit::keep_tool(session.job(), row.use, kept ? session.snapshot_of(row.tool) : nullptr));
}

void fill_tray_menu(Session& session, const RowId& row, QMenu& menu) {
  menu.addAction(tr("Dissolve the tray"), &session, [&session, row] { session.commit(tr("dissolve the tray"), edit::dissolve_tray(session.job(), row.use)); });
  menu.addAction(tr("Release all in it"), &session, [&session, row] { session.commit(tr("release tools"), edit::release_use(session.job(), row.use)); });
}

void fill_tool_menu(Session& session, const RowId& row, const ToolUse& use, QMenu& menu) {
  menu.addAction(tr("Open its own recipe"), &session, [&session, row] {
    session.select({row.tool});
    session.open_own_recipe(true);
  });
  if (use.is_live())
    menu.addAction(tr("Keep it as it is now"), &session, [&session, row] { keep(session, row, true); })->setEnabled(session.snapshot_of(row.tool) != nullptr);
  else
    menu.addAction(tr("Follow its recipe again"), &session, [&session, row] { keep(session, row, false); });
  const PartId part = session.job().find_use(row.use).part->id;
  const bool rides = session.job().at(row.tool).rides_on == part;
  menu.addAction(rides ? tr("Stay put") : tr("Ride along"), &session, [&session, row, part, rides] {
    session.commit(rides ? tr("stay put") : tr("ride along"), edit::fasten(session.job(), row.tool, rides ? std::nullopt : std::optional(part)));
  });
  menu.addAction(tr("Swap with the part"), &session, [&session, row] {
    if (session.commit(tr("swap"), edit::swap_roles(session.job(), row.use))) session.select({row.tool});
  });
  menu.addAction(tr("Release"), &session, [&session, row] { session.commit(tr("release tool"), edit::release_use(session.job(), row.use)); });
}

}  // namespace

RowId row_of(const Job& job, const Job::Use& use) {
  const ToolUse* row = job.find_use(use.id).use;
  return {use.step, use.id, use.tool, row != nullptr && row->set != 0, use.trays.empty() ? 0 : use.trays.back(), 0, static_cast<int>(use.trays.size())};
}

void fill_operation_menu(Session& session, const RowId& row, QMenu& menu) {
  for (Operation o : all_operations) {
    // Within a tray tools make one body.
    if (row.tray != 0 && o != Operation::unite && o != Operation::difference && o != Operation::intersection) continue;
    menu.addAction(theme::icon(QString::fromLatin1(theme::operation_glyph(o)), theme::operation_tint(o)), theme::operation_label(o), &session,
                   [&session, use = row.use, o] { change(session, use, tr("change the operation"), [o](ToolUse& u) { u.operation = o; }); });
  }
}

void fill_row_menu(Session& session, const RowId& row, QMenu& menu) {
  const ToolUse* use = session.job().find_use(row.use).use;
  if (use == nullptr) return;
  if (row.by_set && row.tool != 0) {
    menu.addAction(tr("Take it out of the set"), &session, [&session, set = use->set, tool = row.tool] {
      session.commit(tr("take out of the set"), edit::change_set(session.job(), set, [tool](PartSet& s) { std::erase(s.parts, tool); }));
    });
    return;
  }
  if (field_place(session.job().find_step(row.step).step->kind->fields, "operation"))
    fill_operation_menu(session, row, *menu.addMenu(tr("Operation")));
  menu.addAction(use->on ? tr("Switch off") : tr("Switch on"), &session, [&session, id = row.use, on = !use->on] {
    change(session, id, on ? tr("switch the tool on") : tr("switch the tool off"), [on](ToolUse& u) { u.on = on; });
  });
  menu.addSeparator();
  if (row.tool == 0)
    fill_tray_menu(session, row, menu);
  else
    fill_tool_menu(session, row, *use, menu);
}

}  // namespace anvil::app
