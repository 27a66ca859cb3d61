// SPDX-License-Identifier: GPL-3.0-or-later
// Shape: steps that change the form of one part. One verb for each kind of step that names this station.
#include "app/main_window.h"
#include "app/stations/desk.h"
#include "app/view/work_plane.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// A step placed where it does something: its points in the middle of the part's result.
void add_step(MainWindow& window, Session& session, const StepKind& kind) {
  const PartId owner = session.recipe_owner();
  Step step = new_step(kind);
  if (const PartResult result = session.result(owner); result.evaluated && result.evaluated->drawable)
    for (std::size_t k = 0; k < kind.fields.size(); ++k)
      if (kind.fields[k].kind == FieldKind::point) step.fields[k] = result.evaluated->drawable->box.centre();
  StepId id = 0;
  if (!session.add_step(QString::fromStdString(kind.label).toLower(), owner, step, &id)) return;
  window.hide_issue();
  session.select({owner});
  session.set_active_step(id);
  session.say(work_plane(session) ? QObject::tr("Drag the plane's arrow or its ring · its numbers stand in the card on the left · Escape: done")
                                  : QObject::tr("Its numbers stand in the card on the left · Escape: done"));
}

}  // namespace

void add_shape_verbs(Desk& desk) {
  Session& session = desk.session;
  for (const StepKind* kind : step_table()) {
    if (kind->station != "shape") continue;
    QAction* action = desk.book.add(Station::shape, QObject::tr("Shape"), QString::fromStdString(kind->key), QString::fromStdString(kind->label),
                                    QString::fromStdString(kind->icon), {key(kind->shortcut.c_str())}, QString::fromStdString(kind->help),
                                    [&window = desk.window, &session, kind] { add_step(window, session, *kind); });
    desk.book.allow(action, [desk] { return desk.any_chosen(); });
  }
  QAction* remove = desk.book.add(Station::shape, QObject::tr("Shape"), "delete_step", QObject::tr("Delete step"), "delete", {key("Shift+Del")},
                                  QObject::tr("Take the step whose card is open out of the recipe."), [&session] {
                                    session.commit(QObject::tr("delete step"), edit::remove_step(session.job(), session.active_step()));
                                  });
  desk.book.allow(remove, [&session] { return session.active_step() != 0; });
}

}  // namespace anvil::app
