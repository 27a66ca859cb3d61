// SPDX-License-Identifier: GPL-3.0-or-later
// What can be done to chosen parts in every station.
#include <QColorDialog>

#include "app/change_list.h"
#include "app/main_window.h"
#include "app/parts_panel.h"
#include "app/stations/desk.h"
#include "app/template_dialog.h"
#include "app/theme.h"
#include "app/view/view_widget.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// Changes all chosen parts in one undoable step.
/// @param asks  refused when one of them is locked
void change_chosen(Session& session, const QString& label, bool asks, const std::function<void(Part&)>& how) {
  if (asks)
    if (const auto issue = edit::locked_issue(session.job(), session.selection())) return session.complain(*issue);
  Job job = session.job();
  for (PartId id : session.selection()) job = edit::change_part(job, id, how);
  session.commit(label, job);
}

std::vector<PartId> visible_parts(const Job& job) {
  std::vector<PartId> all;
  for (const PartPtr& part : job.parts)
    if (part->visible && !job.is_tool(part->id)) all.push_back(part->id);
  return all;
}

}  // namespace

void add_edit_verbs(Desk& desk) {
  Session& session = desk.session;
  auto add = [&](const char* id, const QString& label, const char* icon, const QList<QKeySequence>& keys, const QString& help,
                 std::function<void()> run, bool needs_parts = true) {
    QAction* action =
        desk.book.add(Station::anywhere, QObject::tr("Edit"), QLatin1String(id), label, QLatin1String(icon), keys, help, std::move(run));
    if (needs_parts) desk.book.allow(action, [desk] { return desk.any_chosen(); });
    return action;
  };
  desk.book.allow(add("undo", QObject::tr("Undo"), "undo", {key("Ctrl+Z")}, QObject::tr("Take the last change back."),
                      [&session] { session.undo(); }, false),
                  [&session] { return session.history().can_undo(); });
  desk.book.allow(add("redo", QObject::tr("Redo"), "redo", {key("Ctrl+Y"), key("Ctrl+Shift+Z")}, QObject::tr("Do it again."),
                      [&session] { session.redo(); }, false),
                  [&session] { return session.history().can_redo(); });
  add("changes", QObject::tr("Changes"), "changes", {key("Ctrl+Shift+Y")}, QObject::tr("List every change, and go back or forth to any of them."),
      [&session, &window = desk.window] {
        auto* list = new ChangeList(session, &window);
        list->setAttribute(Qt::WA_DeleteOnClose);
        list->show();
      },
      false);
  add("templates", QObject::tr("Templates"), "", {key("Ctrl+Shift+T")}, QObject::tr("Add kept steps to the chosen part's recipe; send templates out and bring them in."),
      [&session, &window = desk.window] { TemplateDialog(session, &window).exec(); }, false);
  add("search_parts", QObject::tr("Search parts"), "find", {key("Ctrl+F")}, QObject::tr("Search parts and tools by name."),
      [&parts = desk.parts] { parts.search(); }, false);
  add("keep_together", QObject::tr("Keep together"), "set", {key("Ctrl+Shift+P")}, QObject::tr("Keep the chosen parts together as a set."),
      [&parts = desk.parts] { parts.make_set(); });
  add("duplicate", QObject::tr("Duplicate"), "duplicate", {key("Ctrl+D")}, QObject::tr("Copy the chosen parts; a copied tool stays a tool."),
      [&session] {
        std::vector<PartId> copies;
        if (!session.commit(QObject::tr("duplicate"), edit::duplicate_parts(session.job(), session.selection(), &copies))) return;
        session.select(copies);
        session.say(QObject::tr("The copy lies on its original: drag it away"));
      });
  add("delete", QObject::tr("Delete"), "delete", {QKeySequence(Qt::Key_Delete)}, QObject::tr("Delete the chosen parts, or the faces chosen by hand."),
      [&session] {
        // While elements are chosen it never means the part.
        Chooser& chooser = session.chooser();
        if (!chooser.on()) return void(session.commit(QObject::tr("delete"), edit::remove_parts(session.job(), session.selection())));
        if (chooser.count_as(ElementKind::faces) > 0) return session.edit_chosen(steps::delete_faces);
        session.say(QObject::tr("No whole face is chosen · Escape ends choosing, then Delete means the part"));
      });
  add("rename", QObject::tr("Rename"), "rename", {QKeySequence(Qt::Key_F2)}, QObject::tr("Give the chosen part another name."),
      [&session, &parts = desk.parts] {
        if (const auto issue = edit::locked_issue(session.job(), {session.chosen()})) return session.complain(*issue);
        parts.rename_chosen();
      });
  add("hide", QObject::tr("Hide or show"), "hidden", {key("H")}, QObject::tr("Hide the chosen parts, or show them again."), [&session] {
    const bool visible = session.job().at(session.chosen()).visible;
    change_chosen(session, visible ? QObject::tr("hide") : QObject::tr("show"), false, [visible](Part& p) { p.visible = !visible; });
  });
  add("show_all", QObject::tr("Show all parts"), "shown", {key("Shift+H")}, QObject::tr("Show every hidden part."),
      [&session] {
        Job job = session.job();
        for (const PartPtr& part : session.job().parts) job = edit::change_part(job, part->id, [](Part& p) { p.visible = true; });
        session.commit(QObject::tr("show all"), job);
      },
      false);
  add("lock", QObject::tr("Lock or unlock"), "locked", {key("Shift+L")}, QObject::tr("Protect the chosen parts from changes."), [&session] {
    const bool locked = session.job().at(session.chosen()).locked;
    change_chosen(session, locked ? QObject::tr("unlock") : QObject::tr("lock"), false, [locked](Part& p) { p.locked = !locked; });
  });
  add("tint", QObject::tr("Tint"), "tint", {key("Shift+T")}, QObject::tr("Choose a colour for the chosen parts."),
      [&session, &window = desk.window] {
        if (const auto issue = edit::locked_issue(session.job(), session.selection())) return session.complain(*issue);
        const auto tint = session.job().at(session.chosen()).tint;
        const QColor colour = QColorDialog::getColor(tint ? QColor::fromRgb(*tint) : theme::part, &window, QObject::tr("Tint"),
                                                     QColorDialog::DontUseNativeDialog);
        if (colour.isValid())
          change_chosen(session, QObject::tr("tint"), true, [colour](Part& p) { p.tint = colour.rgb() & 0xFFFFFFu; });
      });
  add("choose_all", QObject::tr("Choose all"), "", {key("Ctrl+A")}, QObject::tr("Choose every visible part; while elements are chosen, all of those."),
      [&session] {
        if (session.chooser().on()) return session.chooser().choose_by([](const Mesh& mesh, const Topology& t, const Elements& chosen) { return inverted(mesh, t, {chosen.kind, {}}); });
        session.select(visible_parts(session.job()));
      },
      false);
  add("let_go", QObject::tr("Choose nothing"), "", {QKeySequence(Qt::Key_Escape)},
      QObject::tr("Put away the place shown, or leave the step that is worked on; then let go of what is chosen."),
      [&session, &window = desk.window, &view = desk.view] {
        window.hide_issue();
        if (view.stop_picking() || view.stop_drawing()) return;
        if (Chooser& chooser = session.chooser(); chooser.on()) return chooser.chosen().empty() ? chooser.stop() : chooser.clear();
        if (session.active_step() != 0) return session.set_active_step(0);
        view.forget_place();
        session.select({});
      },
      false);
  desk.book.allow(add("tool_on", QObject::tr("Tool on or off"), "", {key("0")}, QObject::tr("Switch the chosen tools on or off."),
                      [&session] {
                        Result<Job> job = session.job();
                        for (PartId id : session.selection())
                          if (const auto use = session.use_here(id); use && job) job = edit::change_use(*job, use->id, [](ToolUse& row) { row.on = !row.on; });
                        session.commit(QObject::tr("switch tool"), job);
                      },
                      false),
                  [desk] { return desk.any_tool_chosen(); });
}

}  // namespace anvil::app
