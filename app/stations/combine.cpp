// SPDX-License-Identifier: GPL-3.0-or-later
// Combine: parts become tools of a part.
#include <algorithm>

#include "app/main_window.h"
#include "app/stations/desk.h"
#include "app/theme.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// The parts that a part touches, by their bounds, and could be a tool of.
std::vector<PartId> touched_by(const Session& session, PartId tool) {
  const Job& job = session.job();
  std::vector<PartId> touched;
  const Box3 own = session.world_bounds(tool);
  for (const PartPtr& part : job.parts) {
    if (part->id == tool || !part->visible || part->locked || job.use_of(part->id) || job.depends_on(tool, part->id)) continue;
    const Box3 other = session.world_bounds(part->id);
    if (!other.empty() && (own.lo.array() <= other.hi.array()).all() && (other.lo.array() <= own.hi.array()).all())
      touched.push_back(part->id);
  }
  return touched;
}

void combine(MainWindow& window, Session& session, Operation operation) {
  std::vector<PartId> chosen = session.selection();
  const Job& job = session.job();
  if (chosen.size() == 1) {
    // One part alone is meant as the tool for the one part that it touches.
    const PartId tool = chosen[0];
    if (job.use_of(tool)) {
      session.commit(QObject::tr("change the operation"), edit::change_use(job, tool, [&](ToolUse& use) { use.operation = operation; }));
      return;
    }
    const std::vector<PartId> touched = touched_by(session, tool);
    if (touched.size() != 1)
      return session.complain({touched.empty() ? "touches no other part" : "touches more than one part", job.at(tool).name, {},
                               "choose the part to keep first, then Ctrl+click its tools"});
    chosen = {touched[0], tool};
  }
  const PartId part = chosen.front();
  chosen.erase(chosen.begin());
  if (!session.commit(QObject::tr(key_of(operation)), edit::combine(job, part, chosen, operation))) return;
  window.hide_issue();
  session.select(chosen);
  session.say(QObject::tr("Kept: %1. Drag the tool and the result follows · W swaps").arg(QString::fromStdString(session.job().at(part).name)));
}

}  // namespace

bool Desk::any_tool_chosen() const {
  return std::any_of(session.selection().begin(), session.selection().end(),
                     [this](PartId id) { return session.job().use_of(id).has_value(); });
}

void add_combine_verbs(Desk& desk) {
  Session& session = desk.session;
  struct Kind {
    Operation operation;
    const char *label, *key, *help;
  };
  for (const Kind& kind :
       {Kind{Operation::unite, "Union", "U", "Join the other chosen parts to the first."},
        Kind{Operation::difference, "Difference", "D", "Cut the other chosen parts out of the first."},
        Kind{Operation::intersection, "Intersection", "I", "Keep what the first chosen part has in common with the others."},
        Kind{Operation::split, "Split", "Shift+D", "Cut the first along the others and keep all pieces; a sheet cuts too."},
        Kind{Operation::partition, "Partition", "Shift+I", "Keep A − B, A ∩ B and B − A as separate pieces."},
        Kind{Operation::inlay, "Inlay", "Shift+U", "Cut the pocket and keep the piece that fills it."},
        Kind{Operation::score, "Score", "Shift+S", "Draw the curve of intersection into the first part's faces."},
        Kind{Operation::trim_inside, "Open trim, inside", "Shift+Q", "Take away the first part's faces inside the others, and add no wall."},
        Kind{Operation::trim_outside, "Open trim, outside", "Shift+W", "Take away the first part's faces outside the others, and add no wall."},
        Kind{Operation::gather, "Gather", "Shift+G", "Put the others into the first as they are."}}) {
    QAction* action = desk.book.add(Station::combine, QObject::tr("Combine"), QLatin1String(key_of(kind.operation)), QObject::tr(kind.label),
                                    QLatin1String(theme::operation_glyph(kind.operation)), {key(kind.key)}, QObject::tr(kind.help),
                                    [&window = desk.window, &session, kind] { combine(window, session, kind.operation); });
    action->setIcon(theme::icon(QLatin1String(theme::operation_glyph(kind.operation)), theme::operation_tint(kind.operation)));
    desk.book.allow(action, [desk] { return desk.any_chosen(); });
  }
  QAction* swap = desk.book.add(Station::combine, QObject::tr("Combine"), "swap", QObject::tr("Swap"), "swap", {key("W")},
                                QObject::tr("Exchange the part that is kept and the tool that cuts it."), [&session] {
                                  const PartId owner = session.recipe_owner();
                                  const Result<Job> swapped = edit::swap_roles(session.job(), owner);
                                  if (!session.commit(QObject::tr("swap"), swapped)) return;
                                  const auto use = session.job().use_of(owner);
                                  session.select({use ? use->part : owner});
                                });
  desk.book.allow(swap, [&session] {
    const Part* part = session.job().find(session.recipe_owner());
    return part != nullptr && !part->recipe.empty();
  });
  QAction* out = desk.book.add(Station::combine, QObject::tr("Combine"), "break_out", QObject::tr("Break out"), "break_out", {key("Shift+B")},
                               QObject::tr("Make each separate piece of the result a part of its own; the part is hidden."),
                               [&session] { session.break_out(session.recipe_owner()); });
  desk.book.allow(out, [&session] { return session.result(session.recipe_owner()).evaluated != nullptr; });
  QAction* release = desk.book.add(Station::combine, QObject::tr("Combine"), "release_tool", QObject::tr("Release tool"), "release", {key("Q")},
                                   QObject::tr("End the use of the chosen tool; it becomes a part again, where it stands."), [&session] {
                                     Result<Job> job = session.job();
                                     for (PartId id : session.selection())
                                       if (job) job = edit::release_tool(*job, id);
                                     session.commit(QObject::tr("release tool"), job);
                                   });
  desk.book.allow(release, [desk] { return desk.any_tool_chosen(); });
}

}  // namespace anvil::app
