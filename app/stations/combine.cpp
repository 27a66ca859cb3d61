// SPDX-License-Identifier: GPL-3.0-or-later
// Combine: parts become tools of a part.
#include <algorithm>

#include "app/main_window.h"
#include "app/remedies.h"
#include "app/stations/desk.h"
#include "app/theme.h"
#include "core/mesh/touch.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// Visible parts whose bounds touch those of a part, and that serve nowhere as a tool yet.
std::vector<PartId> touching(const Session& session, PartId part, const std::function<bool(const Part&)>& fits) {
  std::vector<PartId> found;
  const Box3 own = session.world_bounds(part);
  for (const PartPtr& other : session.job().parts) {
    if (other->id == part || !other->visible || other->locked || session.job().is_tool(other->id) || !fits(*other)) continue;
    const Box3 box = session.world_bounds(other->id);
    if (!own.empty() && !box.empty() && (own.lo.array() <= box.hi.array()).all() && (box.lo.array() <= own.hi.array()).all()) found.push_back(other->id);
  }
  return found;
}

void combine(MainWindow& window, Session& session, Operation operation) {
  std::vector<PartId> chosen = session.selection();
  const Job& job = session.job();
  if (chosen.size() == 1) {
    // One part alone is meant as the tool for the one part that it touches.
    const PartId tool = chosen[0];
    if (const auto use = session.use_here(tool)) {
      if (job.find_use(use->id).use->is_tray()) return session.complain({"is a tool by its set", job.at(tool).name, {}, "change the operation of the set's tray"}, use->part);
      session.commit(QObject::tr("change the operation"), edit::change_use(job, use->id, [&](ToolUse& row) { row.operation = operation; }));
      return;
    }
    const std::vector<PartId> touched = touching(session, tool, [&](const Part& other) { return !job.depends_on(tool, other.id); });
    if (touched.size() != 1)
      return session.complain({touched.empty() ? "touches no other part" : "touches more than one part", job.at(tool).name, {},
                               "choose the part to keep first, then Ctrl+click its tools"});
    chosen = {touched[0], tool};
  }
  const PartId part = chosen.front();
  chosen.erase(chosen.begin());
  if (!make_tools(session, QObject::tr(key_of(operation)), part, chosen, operation)) return;
  if (const auto use = session.job().use_of(chosen.front(), part); use && session.up_to() != 0) session.look_up_to(use->step);
  window.hide_issue();
  session.select(chosen);
  session.say(QObject::tr("Kept: %1. Drag the tool and the result follows · W swaps").arg(QString::fromStdString(session.job().at(part).name)));
}

/// The chosen tool takes the part's place; where the part itself is chosen, its only one.
void swap_roles(Session& session) {
  const PartId owner = session.recipe_owner();
  std::vector<Job::Use> uses;
  for (PartId id : session.selection())
    if (const auto use = session.job().use_of(id, owner)) uses.push_back(*use);
  if (uses.empty())
    for (const PartPtr& part : session.job().parts)
      for (const Job::Use& use : session.job().uses_of(part->id))
        if (use.part == owner) uses.push_back(use);
  if (uses.size() != 1)
    return session.complain({"can be swapped with one tool at a time", session.job().at(owner).name, {}, "choose the tool that takes its place"}, owner);
  if (session.commit(QObject::tr("swap"), edit::swap_roles(session.job(), uses[0].id))) session.select({uses[0].tool});
}

/// Rows of the shown recipe that the chosen parts stand in by themselves.
std::vector<UseId> chosen_rows(const Session& session) {
  std::vector<UseId> rows;
  for (PartId id : session.selection())
    if (const auto use = session.job().use_of(id, session.recipe_owner()); use && session.job().find_use(use->id).use->tool == id) rows.push_back(use->id);
  return rows;
}

void make_tray(Session& session) {
  const std::vector<UseId> rows = chosen_rows(session);
  if (rows.empty()) return session.complain({"there is no tool to put into a tray", "", {}, "choose tools of one step"});
  session.commit(QObject::tr("make a tray"), edit::add_tray(session.job(), rows, "Tray"));
}

/// All parts that the chosen one touches become its tools; whether they do is found out beside the window.
void add_touching(Session& session) {
  constexpr double share = 1e-6;  // of the part's size
  const Job& job = session.job();
  const PartId part = session.recipe_owner();
  const auto solid_of = [&](PartId id) { return std::pair(session.result(id).evaluated, job.world_of(id)); };
  std::vector<std::pair<PartId, std::pair<EvaluatedPtr, Affine>>> near;
  for (PartId id : touching(session, part, [&](const Part& other) { return !job.depends_on(other.id, part); })) near.emplace_back(id, solid_of(id));
  session.read_beside(QObject::tr("Looking what touches"), [&session, part, near, own = solid_of(part)](const std::stop_token& stop) {
    std::vector<PartId> tools;
    try {
      for (const auto& [id, solid] : near)
        if (own.first && solid.first && touch(*own.first->mesh, *solid.first->mesh, own.second.inverse() * solid.second, share * bounds(*own.first->mesh).diagonal(), stop)) tools.push_back(id);
    } catch (const Stopped&) {
    }
    return std::function<void()>([&session, part, tools] {
      if (session.job().find(part) == nullptr) return;
      std::vector<PartId> still;
      for (PartId id : tools)
        if (session.job().find(id) != nullptr) still.push_back(id);
      if (still.empty()) return session.say(QObject::tr("Nothing that could be a tool touches %1").arg(QString::fromStdString(session.job().at(part).name)));
      if (session.commit(QObject::tr("add all that touch"), edit::combine(session.job(), part, still, Operation::difference, session.new_step_place())))
        session.say(QObject::tr("%1 tools added").arg(still.size()));
    });
  });
}

/// Tools that follow are kept as they are now; when all are kept, they follow again.
void keep_or_follow(Session& session) {
  const std::vector<UseId> rows = chosen_rows(session);
  const bool keep = std::any_of(rows.begin(), rows.end(), [&](UseId id) { return session.job().find_use(id).use->is_live(); });
  Result<Job> job = session.job();
  for (UseId id : rows) {
    const PartId tool = session.job().find_use(id).use->tool;
    const auto kept = keep ? session.snapshot_of(tool) : nullptr;
    if (keep && kept == nullptr) return session.complain({"has no result that could be kept", session.job().at(tool).name, {}, "wait for it, or look at its recipe"}, tool);
    if (job) job = edit::keep_tool(*job, id, kept);
  }
  session.commit(keep ? QObject::tr("keep tools as they are") : QObject::tr("let tools follow"), job);
}

/// Fastens the other chosen parts to the first, or loosens them when all of them are.
void fasten(Session& session) {
  const PartId to = session.chosen();
  const std::vector<PartId> others(session.selection().begin() + 1, session.selection().end());
  const bool loosen = std::all_of(others.begin(), others.end(), [&](PartId id) { return session.job().at(id).rides_on == to; });
  Result<Job> job = session.job();
  for (PartId id : others)
    if (job) job = edit::fasten(*job, id, loosen ? std::nullopt : std::optional(to));
  const QString name = QString::fromStdString(session.job().at(to).name);
  if (session.commit(loosen ? QObject::tr("loosen") : QObject::tr("fasten"), job))
    session.say(loosen ? QObject::tr("Loosened: they stay where they are when %1 moves").arg(name) : QObject::tr("Fastened: they ride along when %1 moves").arg(name));
}

/// Chooses the next tool of the shown recipe, or the one before.
void step_tools(Session& session, bool forward) {
  const std::vector<Job::Use> uses = session.job().uses_by(session.recipe_owner());
  if (uses.empty()) return session.say(QObject::tr("The chosen part has no tools"));
  const auto at = std::find_if(uses.begin(), uses.end(), [&](const Job::Use& use) { return use.tool == session.chosen(); });
  const auto place = static_cast<std::size_t>(at - uses.begin());
  const std::size_t next = at == uses.end() ? (forward ? 0 : uses.size() - 1) : (place + (forward ? 1 : uses.size() - 1)) % uses.size();
  session.select({uses[next].tool});
}

/// @param act  what is done with the result of the part whose recipe is shown
void with_result(Session& session, const std::function<void(PartId, std::shared_ptr<const Mesh>)>& act) {
  const PartId part = session.recipe_owner();
  session.when_ready({part}, [&session, part, act](const std::vector<OutgoingPart>& ready) {
    if (ready.empty()) return;
    if (const Issue* trouble = ready[0].result.trouble()) return session.complain(session.named(part, *trouble), part);
    if (const auto result = session.snapshot_of(part)) return act(part, result);
    session.complain({"is empty", session.job().at(part).name, {}, "look at its recipe"}, part);
  });
}

}  // namespace

bool Desk::any_tool_chosen() const {
  return std::any_of(session.selection().begin(), session.selection().end(),
                     [this](PartId id) { return session.job().is_tool(id); });
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
                                QObject::tr("Exchange the part that is kept and the chosen tool that cuts it."), [&session] { swap_roles(session); });
  desk.book.allow(swap, [&session] {
    const Part* part = session.job().find(session.recipe_owner());
    return part != nullptr && !part->recipe.empty();
  });
  const auto tools_chosen = [&session] { return !chosen_rows(session).empty(); };
  const auto part_shown = [&session] { return session.recipe_owner() != 0; };
  const auto has_result = [&session] { return session.result(session.recipe_owner()).evaluated != nullptr; };
  desk.book.allow(desk.book.add(Station::combine, QObject::tr("Recipe"), "touching", QObject::tr("Add touching"), "touching", {key("A")},
                                QObject::tr("Make all parts that the chosen one touches its tools."), [&session] { add_touching(session); }),
                  part_shown);
  desk.book.allow(desk.book.add(Station::combine, QObject::tr("Recipe"), "tray", QObject::tr("Tray"), "tray_open", {key("R")},
                                QObject::tr("Put the chosen tools into a tray, which counts as one tool."), [&session] { make_tray(session); }),
                  tools_chosen);
  desk.book.allow(desk.book.add(Station::combine, QObject::tr("Recipe"), "keep_tool", QObject::tr("Keep or follow"), "kept", {key("K")},
                                QObject::tr("Keep the chosen tools as they are now, or let them follow their recipes again."), [&session] { keep_or_follow(session); }),
                  tools_chosen);
  desk.book.allow(desk.book.add(Station::combine, QObject::tr("Recipe"), "part_from_result", QObject::tr("Part from result"), "part_from_result", {key("N")},
                                QObject::tr("Make a part that follows what the chosen one comes to."), [&session] {
                                  PartId made = 0;
                                  if (session.commit(QObject::tr("make a part from a result"), edit::add_part_from(session.job(), session.recipe_owner(), nullptr, &made))) session.select({made});
                                }),
                  part_shown);
  desk.book.allow(desk.book.add(Station::combine, QObject::tr("Recipe"), "forge", QObject::tr("Forge"), "forge", {key("P")},
                                QObject::tr("Make the result the part's source; its recipe is kept and can be brought back."), [&session] {
                                  with_result(session, [&session](PartId part, const std::shared_ptr<const Mesh>& result) {
                                    if (!session.commit(QObject::tr("forge"), edit::forge(session.job(), part, result))) return;
                                    session.select({part});
                                    session.say(QObject::tr("Forged; the first card brings the recipe back"));
                                  });
                                }),
                  has_result);
  desk.book.allow(desk.book.add(Station::combine, QObject::tr("Recipe"), "fasten", QObject::tr("Fasten or loosen"), "kept", {key("Shift+A")},
                                QObject::tr("Let the other chosen parts ride on the first without being its tools, or no more."), [&session] { fasten(session); }),
                  [&session] { return session.selection().size() > 1; });
  QAction* own = desk.book.add(Station::combine, QObject::tr("Recipe"), "own_recipe", QObject::tr("Tool's own recipe"), "", {key("Shift+R")},
                               QObject::tr("Work on the recipe of the chosen tool itself, with the part in view; once more goes back."),
                               [&session] { session.open_own_recipe(!session.own_recipe_open()); });
  desk.book.check(own, [&session] { return session.own_recipe_open(); });
  desk.book.allow(own, [&session] { return session.job().is_tool(session.chosen()); });
  for (const bool forward : {true, false})
    desk.book.allow(desk.book.add(Station::anywhere, QObject::tr("Edit"), forward ? "next_tool" : "previous_tool", forward ? QObject::tr("Next tool") : QObject::tr("Previous tool"), "",
                                  {key(forward ? "." : ",")}, QObject::tr("Choose one tool of the shown recipe after the other."), [&session, forward] { step_tools(session, forward); }),
                    part_shown);
  QAction* out = desk.book.add(Station::combine, QObject::tr("Combine"), "break_out", QObject::tr("Break out"), "break_out", {key("Shift+B")},
                               QObject::tr("Make each separate piece of the result a part of its own; the part is hidden."),
                               [&session] { session.break_out(session.recipe_owner()); });
  desk.book.allow(out, [&session] { return session.result(session.recipe_owner()).evaluated != nullptr; });
  QAction* release = desk.book.add(Station::combine, QObject::tr("Combine"), "release_tool", QObject::tr("Release tool"), "release", {key("Q")},
                                   QObject::tr("End the use of the chosen tool; it becomes a part again, where it stands."), [&session] {
                                     Result<Job> job = session.job();
                                     for (PartId id : session.selection())
                                       if (const auto use = session.use_here(id); use && job && job->find_use(use->id)) job = edit::release_use(*job, use->id);
                                     session.commit(QObject::tr("release tool"), job);
                                   });
  desk.book.allow(release, [desk] { return desk.any_tool_chosen(); });
}

}  // namespace anvil::app
