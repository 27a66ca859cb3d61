// SPDX-License-Identifier: GPL-3.0-or-later
// What the verbs of the window do. Keys are our own mnemonics beside the platform's standard ones.
#include <QApplication>
#include <QColorDialog>
#include <QFileDialog>
#include <QMessageBox>
#include <QPushButton>

#include "app/finder.h"
#include "app/main_window.h"
#include "app/theme.h"
#include "core/io/mesh_file.h"
#include "job/edit.h"
#include "job/job_file.h"

namespace anvil::app {
namespace {

QKeySequence key(const char* text) {
  return QKeySequence(QLatin1String(text));
}

constexpr const char* mesh_filter =
    "Meshes (*.stl *.obj *.ply *.off *.3mf *.STL *.OBJ *.PLY *.OFF *.3MF);;All files (*)";

}  // namespace

void MainWindow::build_verbs() {
  build_stock_verbs();
  build_combine_verbs();
  build_file_verbs();
  build_edit_verbs();
  build_view_verbs();
  build_help_verbs();
}

void MainWindow::build_stock_verbs() {
  book_.add(Station::stock, tr("Stock"), "bring_in", tr("Bring in"), "bring_in", {key("Ctrl+I")},
            tr("Read mesh files (STL, OBJ, PLY, OFF, 3MF), each as a part."), [this] { bring_in_dialog(); });
  struct Shape {
    PrimitiveKind kind;
    const char *icon, *key;
  };
  for (const Shape& shape :
       {Shape{PrimitiveKind::box, "box", "B"}, Shape{PrimitiveKind::cylinder, "cylinder", "C"},
        Shape{PrimitiveKind::frustum, "frustum", "O"}, Shape{PrimitiveKind::sphere, "sphere", "S"},
        Shape{PrimitiveKind::icosphere, "icosphere", "E"}, Shape{PrimitiveKind::torus, "torus", "R"},
        Shape{PrimitiveKind::prism, "prism", "P"}, Shape{PrimitiveKind::star_prism, "star_prism", "Shift+P"},
        Shape{PrimitiveKind::sheet, "sheet", "L"}}) {
    const PrimitiveSpec& spec = spec_of(shape.kind);
    book_.add(Station::stock, tr("Stock"), QLatin1String(spec.key), tr(spec.label), QLatin1String(shape.icon),
              {key(shape.key)},
              tr("Make one by its dimensions, in the middle of the chosen part or on the ground."),
              [this, kind = shape.kind] { add_primitive(kind); });
  }
}

void MainWindow::build_combine_verbs() {
  auto some = [this] { return !session_.selection().empty(); };
  struct Kind {
    Operation operation;
    const char *label, *key, *help;
  };
  for (const Kind& kind :
       {Kind{Operation::unite, "Union", "U", "Join the other chosen parts to the first."},
        Kind{Operation::difference, "Difference", "D", "Cut the other chosen parts out of the first."},
        Kind{Operation::intersection, "Intersection", "I",
             "Keep what the first chosen part has in common with the others."},
        Kind{Operation::split, "Split", "Shift+D", "Cut the first along the others and keep all pieces; a sheet cuts too."},
        Kind{Operation::partition, "Partition", "Shift+I", "Keep A − B, A ∩ B and B − A as separate pieces."},
        Kind{Operation::inlay, "Inlay", "Shift+U", "Cut the pocket and keep the piece that fills it."},
        Kind{Operation::score, "Score", "Shift+S", "Draw the curve of intersection into the first part's faces."},
        Kind{Operation::trim_inside, "Open trim, inside", "Shift+Q",
             "Take away the first part's faces inside the others, and add no wall."},
        Kind{Operation::trim_outside, "Open trim, outside", "Shift+W",
             "Take away the first part's faces outside the others, and add no wall."},
        Kind{Operation::gather, "Gather", "Shift+G", "Put the others into the first as they are."}}) {
    QAction* action = book_.add(Station::combine, tr("Combine"), QLatin1String(key_of(kind.operation)),
                                tr(kind.label), QLatin1String(theme::operation_glyph(kind.operation)),
                                {key(kind.key)}, tr(kind.help), [this, kind] { combine(kind.operation); });
    action->setIcon(theme::icon(QLatin1String(theme::operation_glyph(kind.operation)),
                                theme::operation_tint(kind.operation)));
    book_.allow(action, some);
  }
  QAction* swap = book_.add(Station::combine, tr("Combine"), "swap", tr("Swap"), "swap", {key("W")},
                            tr("Exchange the part that is kept and the tool that cuts it."), [this] {
                              const PartId owner = session_.recipe_owner();
                              const Result<Job> swapped = edit::swap_roles(session_.job(), owner);
                              if (!swapped) return session_.complain(swapped.issue());
                              PartId kept = owner;
                              if (const auto use = swapped->use_of(owner)) kept = use->part;
                              session_.commit(tr("swap"), *swapped);
                              session_.select({kept});
                            });
  book_.allow(swap, [this] {
    const Part* part = session_.job().find(session_.recipe_owner());
    return part != nullptr && !part->recipe.empty();
  });
  QAction* out = book_.add(Station::combine, tr("Combine"), "break_out", tr("Break out"), "break_out", {key("Shift+B")},
                           tr("Make each separate piece of the result a part of its own; the part is hidden."),
                           [this] { break_out(); });
  book_.allow(out, [this] { return session_.result(session_.recipe_owner()).evaluated != nullptr; });
  QAction* release =
      book_.add(Station::combine, tr("Combine"), "release_tool", tr("Release tool"), "release", {key("Q")},
                tr("End the use of the chosen tool; it becomes a part again, where it stands."), [this] {
                  Job job = session_.job();
                  for (PartId id : session_.selection()) job = edit::release_tool(job, id);
                  session_.commit(tr("release tool"), job);
                });
  book_.allow(release, [this] {
    return std::any_of(session_.selection().begin(), session_.selection().end(),
                       [this](PartId id) { return session_.job().use_of(id).has_value(); });
  });
  // The places of the rail, one after the other.
  auto has_report = [this] { return session_.result(session_.recipe_owner()).report != nullptr; };
  book_.allow(book_.add(Station::mend, tr("Mend"), "next_place", tr("Next place"), "next", {key("N")},
                        tr("Fly to the next place that the check found."), [this] { rail_->show_next(1); }),
              has_report);
  book_.allow(book_.add(Station::mend, tr("Mend"), "previous_place", tr("Previous place"), "previous",
                        {key("Shift+N")}, tr("Fly to the place before."), [this] { rail_->show_next(-1); }),
              has_report);
}

void MainWindow::build_file_verbs() {
  auto add = [&](const char* id, const QString& label, const char* icon, const QList<QKeySequence>& keys,
                 const QString& help, std::function<void()> run, Station station = Station::anywhere) {
    return book_.add(station, tr("Job"), QLatin1String(id), label, QLatin1String(icon), keys, help,
                     std::move(run));
  };
  add("new_job", tr("New job"), "new", {key("Ctrl+N")}, tr("Start with an empty job."), [this] {
    if (may_discard()) session_.new_job();
  });
  add("open_job", tr("Open job"), "open", {key("Ctrl+O")}, tr("Open a job file (.anvil)."),
      [this] { open_job_dialog(); });
  add("save_job", tr("Save job"), "save", {key("Ctrl+S")}, tr("Save the job."), [this] { save_job(false); });
  add("save_job_as", tr("Save job as"), "save", {key("Ctrl+Shift+S")}, tr("Save the job under another name."),
      [this] { save_job(true); });
  QAction* one = add(
      "send_out", tr("Export chosen"), "send_out", {key("Ctrl+E")},
      tr("Write the chosen parts as one STL, OBJ, PLY, OFF or 3MF file."),
      [this] {
        std::vector<PartId> parts = session_.selection();
        if (parts.size() == 1) parts = {session_.recipe_owner()};
        send_out(parts, QString::fromStdString(session_.job().at(parts.front()).name));
      },
      Station::release);
  book_.allow(one, [this] { return !session_.selection().empty(); });
  QAction* all = add(
      "send_out_visible", tr("Export visible"), "send_all", {key("Ctrl+Shift+E")},
      tr("Write all visible parts as one file."),
      [this] {
        std::vector<PartId> parts;
        for (const PartPtr& part : session_.job().parts)
          if (part->visible && !session_.job().use_of(part->id)) parts.push_back(part->id);
        send_out(parts, QString::fromStdString(session_.job().title));
      },
      Station::release);
  book_.allow(all, [this] { return !session_.job().parts.empty(); });
  add("quit", tr("Quit"), "", {key("Ctrl+Q")}, tr("Leave Clean Anvil."), [this] { close(); });
}

void MainWindow::build_edit_verbs() {
  auto some = [this] { return !session_.selection().empty(); };
  auto add = [&](const char* id, const QString& label, const char* icon, const QList<QKeySequence>& keys,
                 const QString& help, std::function<void()> run, bool needs_parts = true) {
    QAction* action = book_.add(Station::anywhere, tr("Edit"), QLatin1String(id), label, QLatin1String(icon),
                                keys, help, std::move(run));
    if (needs_parts) book_.allow(action, some);
    return action;
  };
  QAction* undo = add(
      "undo", tr("Undo"), "undo", {key("Ctrl+Z")}, tr("Take the last change back."),
      [this] { session_.undo(); }, false);
  book_.allow(undo, [this] { return session_.history().can_undo(); });
  QAction* redo = add(
      "redo", tr("Redo"), "redo", {key("Ctrl+Y"), key("Ctrl+Shift+Z")}, tr("Do it again."),
      [this] { session_.redo(); }, false);
  book_.allow(redo, [this] { return session_.history().can_redo(); });
  add("duplicate", tr("Duplicate"), "duplicate", {key("Ctrl+D")},
      tr("Copy the chosen parts; a copied tool stays a tool."), [this] {
        std::vector<PartId> copies;
        session_.commit(tr("duplicate"),
                        edit::duplicate_parts(session_.job(), session_.selection(), &copies));
        session_.select(copies);
        session_.say(tr("The copy lies on its original: drag it away"));
      });
  add("delete", tr("Delete"), "delete", {QKeySequence(Qt::Key_Delete)}, tr("Delete the chosen parts."),
      [this] { session_.commit(tr("delete"), edit::remove_parts(session_.job(), session_.selection())); });
  add("rename", tr("Rename"), "rename", {QKeySequence(Qt::Key_F2)}, tr("Give the chosen part another name."),
      [this] { parts_->rename_chosen(); });
  add("hide", tr("Hide or show"), "hidden", {key("H")}, tr("Hide the chosen parts, or show them again."),
      [this] {
        const bool visible = session_.job().at(session_.chosen()).visible;
        change_chosen(visible ? tr("hide") : tr("show"), [visible](Part& p) { p.visible = !visible; });
      });
  add(
      "show_all", tr("Show all parts"), "shown", {key("Shift+H")}, tr("Show every hidden part."),
      [this] {
        Job job = session_.job();
        for (const PartPtr& part : session_.job().parts)
          job = edit::change_part(job, part->id, [](Part& p) { p.visible = true; });
        session_.commit(tr("show all"), job);
      },
      false);
  add("lock", tr("Lock or unlock"), "locked", {key("Shift+L")}, tr("Protect the chosen parts from changes."),
      [this] {
        const bool locked = session_.job().at(session_.chosen()).locked;
        change_chosen(locked ? tr("unlock") : tr("lock"), [locked](Part& p) { p.locked = !locked; });
      });
  add("tint", tr("Tint"), "tint", {key("Shift+T")}, tr("Choose a colour for the chosen parts."), [this] {
    const auto tint = session_.job().at(session_.chosen()).tint;
    const QColor colour = QColorDialog::getColor(tint ? QColor::fromRgb(*tint) : theme::part, this,
                                                 tr("Tint"), QColorDialog::DontUseNativeDialog);
    if (colour.isValid()) change_chosen(tr("tint"), [colour](Part& p) { p.tint = colour.rgb() & 0xFFFFFFu; });
  });
  add(
      "choose_all", tr("Choose all"), "", {key("Ctrl+A")}, tr("Choose every visible part."),
      [this] {
        std::vector<PartId> all;
        for (const PartPtr& part : session_.job().parts)
          if (part->visible && !session_.job().use_of(part->id)) all.push_back(part->id);
        session_.select(all);
      },
      false);
  add(
      "let_go", tr("Choose nothing"), "", {QKeySequence(Qt::Key_Escape)},
      tr("Put away the place shown; then let go of what is chosen."),
      [this] {
        issue_strip_->hide();
        view_->forget_place();
        session_.select({});
      },
      false);
  QAction* tool = add(
      "tool_on", tr("Tool on or off"), "", {key("0")}, tr("Switch the chosen tools on or off."),
      [this] {
        Job job = session_.job();
        for (PartId id : session_.selection())
          if (const auto use = job.use_of(id))
            job = edit::change_part(job, use->part, [&](Part& p) {
              bool& on = std::get<CombineStep>(p.recipe[use->step]).tools[use->place].on;
              on = !on;
            });
        session_.commit(tr("switch tool"), job);
      },
      false);
  book_.allow(tool, [this] {
    return std::any_of(session_.selection().begin(), session_.selection().end(),
                       [this](PartId id) { return session_.job().use_of(id).has_value(); });
  });
}

void MainWindow::build_view_verbs() {
  QString group = tr("Look from");
  auto add = [&](const char* id, const QString& label, const char* icon, const char* shortcut,
                 const QString& help, std::function<void()> run) {
    const QList<QKeySequence> keys =
        *shortcut == '\0' ? QList<QKeySequence>() : QList<QKeySequence>{key(shortcut)};
    return book_.add(Station::anywhere, group, QLatin1String(id), label, QLatin1String(icon), keys, help,
                     std::move(run));
  };
  const std::array directions = {Direction::front, Direction::back,   Direction::left,  Direction::right,
                                 Direction::top,   Direction::bottom, Direction::corner};
  for (std::size_t k = 0; k < directions.size(); ++k) {
    const QString name = QString::fromLatin1(label_of(directions[k]));
    add(("look_" + name.toStdString()).c_str(), name, "", std::to_string(k + 1).c_str(),
        tr("Look from the %1.").arg(name), [this, d = directions[k]] { view_->look(d); });
  }
  group = tr("Drawing");
  add("fit_all", tr("Fit all"), "fit", "F", tr("Show everything."), [this] { view_->fit_all(); });
  add("fit_selection", tr("Fit chosen"), "fit", "Shift+F", tr("Show the chosen parts large."),
      [this] { view_->fit_selection(); });
  book_.check(add("four", tr("Four views"), "four", "X", tr("Top, front, right and corner at once."),
                  [this] { view_->set_four(!view_->four()); }),
              [this] { return view_->four(); });
  book_.check(add("parallel", tr("Parallel lines stay parallel"), "camera", "V",
                  tr("Parallel projection instead of perspective."),
                  [this] { view_->set_parallel(!view_->parallel()); }),
              [this] { return view_->parallel(); });
  struct Style {
    Look look;
    const char *id, *label, *key;
  };
  for (const Style& s : {Style{Look::edges, "draw_edges", "Shaded with edges", "Ctrl+F5"},
                         Style{Look::wires, "draw_wires", "Shaded with wires", "Ctrl+F6"},
                         Style{Look::see_through, "draw_see_through", "See-through", "Ctrl+F7"},
                         Style{Look::plain, "draw_plain", "Shaded without edges", "Ctrl+F8"}})
    book_.check(add(s.id, tr(s.label), "", s.key, tr("Draw the parts this way."),
                    [this, s] { view_->set_look(s.look); }),
                [this, s] { return view_->look_style() == s.look; });
  add("next_look", tr("Next way of drawing"), "", "Y", tr("Edges, wires, see-through, plain."),
      [this] { view_->set_look(static_cast<Look>((static_cast<int>(view_->look_style()) + 1) % 4)); });
  book_.check(
      book_.add(Station::mend, tr("Drawing"), "bare", tr("Just the shape"), "bare", {key("J")},
                tr("Put away grid, ghosts, handles and marks."), [this] { view_->set_bare(!view_->bare()); }),
      [this] { return view_->bare(); });
  book_.check(book_.add(Station::mend, tr("Drawing"), "marks", tr("Marks"), "marks", {key("K")},
                        tr("Mark the places of all defects in the view."),
                        [this] { view_->set_marks(!view_->marks()); }),
              [this] { return view_->marks(); });
  group = tr("Handles");
  struct Mode {
    HandleMode mode;
    const char *id, *label, *icon, *key;
  };
  for (const Mode& m : {Mode{HandleMode::move, "handles_move", "Move", "move", "M"},
                        Mode{HandleMode::turn, "handles_turn", "Turn", "turn", "T"},
                        Mode{HandleMode::scale, "handles_scale", "Scale", "scale", "Z"}})
    book_.check(add(m.id, tr(m.label), m.icon, m.key, tr("Show the handles for this."),
                    [this, m] { view_->set_handle_mode(m.mode); }),
                [this, m] { return view_->handle_mode() == m.mode; });
  book_.check(add("snap", tr("Snap"), "snap", "G",
                  tr("Catch on the grid and on other parts; hold the button for what. Alt while dragging "
                     "turns it over."),
                  [this] { view_->snap().on = !view_->snap().on; }),
              [this] { return view_->snap().on; });
  struct To {
    bool SnapSettings::*what;
    const char *id, *label;
  };
  for (const To& t : {To{&SnapSettings::grid, "snap_grid", "Snap to the grid"},
                      To{&SnapSettings::vertices, "snap_vertices", "Snap to vertices"},
                      To{&SnapSettings::edge_middles, "snap_middles", "Snap to edge middles"},
                      To{&SnapSettings::faces, "snap_faces", "Snap to faces"}})
    book_.check(add(t.id, tr(t.label), "", "", tr("What a dragged part catches on."),
                    [this, t] { view_->snap().*t.what = !(view_->snap().*t.what); }),
                [this, t] { return view_->snap().*t.what; });
  struct Scheme {
    MouseScheme scheme;
    const char *id, *label;
  };
  for (const Scheme& s : {Scheme{MouseScheme::three_buttons, "mouse_three", "Mouse with three buttons"},
                          Scheme{MouseScheme::two_buttons, "mouse_two", "Mouse with two buttons"},
                          Scheme{MouseScheme::touchpad, "mouse_touchpad", "Touchpad"}})
    book_.check(add(s.id, tr(s.label), "mouse", "",
                    tr("Three: right orbits, middle pans. Two: right orbits, with Shift pans. Touchpad: two "
                       "fingers orbit, with Shift pan, with Ctrl zoom."),
                    [this, s] {
                      view_->set_scheme(s.scheme);
                      emit view_->hint_changed(view_->hint());
                    }),
                [this, s] { return view_->scheme() == s.scheme; });
  group = tr("Window");
  for (std::size_t k = 0; k < stations.size(); ++k)
    add(("station_" + std::to_string(k + 1)).c_str(),
        tr("%1 station").arg(QLatin1String(label_of(stations[k]))), "",
        ("Ctrl+" + std::to_string(k + 1)).c_str(), tr("Go to this station."),
        [this, k] { set_station(stations[k]); });
  book_.check(add("full_screen", tr("Full screen"), "", "F11", tr("Use the whole screen."),
                  [this] { setWindowState(windowState() ^ Qt::WindowFullScreen); }),
              [this] { return isFullScreen(); });
}

void MainWindow::build_help_verbs() {
  book_.add(Station::anywhere, tr("Window"), "find", tr("Find a verb"), "find", {key("Ctrl+K")},
            tr("Search everything that can be done."), [this] {
              auto* finder = new Finder(book_, this);
              finder->setAttribute(Qt::WA_DeleteOnClose);
              finder->open();
            });
  book_.add(Station::anywhere, tr("Window"), "key_sheet", tr("Keys"), "keys", {QKeySequence(Qt::Key_F1)},
            tr("Show all keys on one sheet."), [this] {
              auto* sheet = new KeySheet(book_, this);
              sheet->setAttribute(Qt::WA_DeleteOnClose);
              sheet->open();
            });
}

// What they do
// -----------------------------------------------------------------------------------------------

void MainWindow::add_primitive(PrimitiveKind kind) {
  Part part;
  part.name = spec_of(kind).label;
  part.source = Primitive::of(kind);
  // In the middle of what is chosen, so that a tool goes through it on both sides; else standing on the
  // ground.
  const Box3 around = session_.world_bounds(session_.chosen());
  if (!around.empty()) {
    part.placement.position = around.centre();
    for (int k = 0; k < 3; ++k)
      part.placement.position[k] = std::round(part.placement.position[k] * 1e6) / 1e6;
  } else if (const auto mesh = make_mesh(std::get<Primitive>(part.source))) {
    part.placement.position.z() = -bounds(*mesh).lo.z();
  }
  PartId id = 0;
  const QString name = tr(spec_of(kind).label).toLower();
  const Job next = edit::add_part(session_.job(), part, &id);
  session_.commit(tr("make %1").arg(name), next);
  session_.select({id});
  session_.say(tr("Its dimensions stand in the recipe on the left · Ctrl+click another part to combine"));
}

void MainWindow::combine(Operation operation) {
  std::vector<PartId> chosen = session_.selection();
  const Job& job = session_.job();
  if (chosen.size() == 1) {
    // One part alone is meant as the tool for the one part that it touches.
    const PartId tool = chosen[0];
    if (const auto use = job.use_of(tool)) {
      return void(session_.commit(tr("change the operation"), edit::change_part(job, use->part, [&](Part& p) {
                                    std::get<CombineStep>(p.recipe[use->step]).tools[use->place].operation =
                                        operation;
                                  })));
    }
    std::vector<PartId> touched;
    const Box3 own = session_.world_bounds(tool);
    for (const PartPtr& part : job.parts) {
      if (part->id == tool || !part->visible || part->locked || job.use_of(part->id) ||
          job.depends_on(tool, part->id))
        continue;
      const Box3 other = session_.world_bounds(part->id);
      if (!other.empty() && (own.lo.array() <= other.hi.array()).all() &&
          (other.lo.array() <= own.hi.array()).all())
        touched.push_back(part->id);
    }
    if (touched.size() != 1)
      return session_.complain({touched.empty() ? "touches no other part" : "touches more than one part",
                                job.at(tool).name,
                                {},
                                "choose the part to keep first, then Ctrl+click its tools"});
    chosen = {touched[0], tool};
  }
  const PartId part = chosen.front();
  chosen.erase(chosen.begin());
  if (session_.commit(tr(key_of(operation)), edit::combine(job, part, chosen, operation))) {
    issue_strip_->hide();
    session_.select(chosen);
    session_.say(tr("Kept: %1. Drag the tool and the result follows · W swaps")
                     .arg(QString::fromStdString(session_.job().at(part).name)));
  }
}

void MainWindow::break_out() {
  const PartId owner = session_.recipe_owner();
  const PartResult result = session_.result(owner);
  if (!result.evaluated) return;
  const std::vector<Mesh> pieces = separate_pieces(*result.evaluated);
  if (pieces.size() < 2)
    return session_.complain({"is all in one piece", session_.job().at(owner).name, {}, "split it first"}, owner);
  std::vector<PartId> ids;
  session_.commit(tr("break out"), edit::break_out(session_.job(), owner, pieces, &ids));
  session_.select(ids);
  session_.say(tr("%1 pieces; the part they came from is hidden").arg(ids.size()));
}

void MainWindow::change_chosen(const QString& label, const std::function<void(Part&)>& how) {
  Job job = session_.job();
  for (PartId id : session_.selection()) job = edit::change_part(job, id, how);
  session_.commit(label, job);
}

void MainWindow::open_job_dialog() {
  if (!may_discard()) return;
  const QString path = QFileDialog::getOpenFileName(this, tr("Open job"), folder_, tr("Jobs (*.anvil)"),
                                                    nullptr, QFileDialog::DontUseNativeDialog);
  if (path.isEmpty()) return;
  folder_ = QFileInfo(path).path();
  session_.open_job(path.toStdString());
}

bool MainWindow::save_job(bool ask_name) {
  QString path = QString::fromStdString(session_.path().string());
  if (ask_name || path.isEmpty()) {
    path = QFileDialog::getSaveFileName(
        this, tr("Save job"),
        folder_ + QLatin1Char('/') + QString::fromStdString(session_.job().title) + QStringLiteral(".anvil"),
        tr("Jobs (*.anvil)"), nullptr, QFileDialog::DontUseNativeDialog);
    if (path.isEmpty()) return false;
    if (!path.endsWith(QStringLiteral(".anvil"), Qt::CaseInsensitive)) path += QStringLiteral(".anvil");
    folder_ = QFileInfo(path).path();
  }
  return session_.save_job(path.toStdString());
}

void MainWindow::bring_in_dialog() {
  const QStringList files = QFileDialog::getOpenFileNames(this, tr("Bring in"), folder_, tr(mesh_filter),
                                                          nullptr, QFileDialog::DontUseNativeDialog);
  if (files.isEmpty()) return;
  folder_ = QFileInfo(files.first()).path();
  bring_in(files);
}

bool MainWindow::ask_unit(Unit& unit) {
  QMessageBox box(QMessageBox::NoIcon, tr("Unit of the files"),
                  tr("These files do not say what unit they are in.\nWhat is one unit in them? The job "
                     "itself is in millimetres, and this is asked once per job."),
                  QMessageBox::NoButton, this);
  box.setObjectName(QStringLiteral("unit"));
  auto* mm = box.addButton(tr("Millimetre"), QMessageBox::AcceptRole);
  auto* inch = box.addButton(tr("Inch"), QMessageBox::AcceptRole);
  auto* metre = box.addButton(tr("Metre"), QMessageBox::AcceptRole);
  box.addButton(QMessageBox::Cancel);
  box.setDefaultButton(mm);
  box.exec();
  if (box.clickedButton() == mm)
    unit = Unit::millimetre;
  else if (box.clickedButton() == inch)
    unit = Unit::inch;
  else if (box.clickedButton() == metre)
    unit = Unit::metre;
  else
    return false;
  return true;
}

void MainWindow::bring_in(const QStringList& files) {
  Unit unit = session_.job().unit.value_or(Unit::millimetre);
  std::vector<std::filesystem::path> paths;
  bool unknown = false;
  for (const QString& file : files) {
    paths.emplace_back(file.toStdString());
    unknown = unknown || needs_unit(paths.back());
  }
  if (unknown && !session_.job().unit && !ask_unit(unit)) return;
  session_.bring_in(paths, unit);
}

void MainWindow::send_out(const std::vector<PartId>& parts, const QString& suggestion) {
  QStringList unsound;
  for (PartId id : parts) {
    const PartResult r = session_.result(id);
    const QString name = QString::fromStdString(session_.job().at(id).name);
    if (r.evaluated && r.evaluated->error)
      unsound << QStringLiteral("%1: %2").arg(name, QString::fromStdString(r.evaluated->error->message()));
    else if (!r.report)
      unsound << tr("%1: not checked yet").arg(name);
    else if (!r.report->sound)
      unsound << QStringLiteral("%1: %2").arg(name, QString::fromStdString(verdict(*r.report)));
  }
  if (!unsound.isEmpty()) {
    QMessageBox box(
        QMessageBox::Warning, tr("Not sound"),
        tr("What you are about to export is not sound:\n\n%1").arg(unsound.join(QLatin1Char('\n'))),
        QMessageBox::NoButton, this);
    box.setObjectName(QStringLiteral("not_sound"));
    auto* look = box.addButton(tr("Look at the places"), QMessageBox::ActionRole);
    auto* anyway = box.addButton(tr("Export anyway"), QMessageBox::AcceptRole);
    box.addButton(QMessageBox::Cancel);
    box.setDefaultButton(look);
    box.exec();
    if (box.clickedButton() == look) {
      set_station(Station::mend);
      rail_->show_next(1);
      return;
    }
    if (box.clickedButton() != anyway) return;
  }
  QString path = QFileDialog::getSaveFileName(
      this, tr("Export"), folder_ + QLatin1Char('/') + suggestion + QStringLiteral(".stl"), tr(mesh_filter),
      nullptr, QFileDialog::DontUseNativeDialog);
  if (path.isEmpty()) return;
  if (QFileInfo(path).suffix().isEmpty()) path += QStringLiteral(".stl");
  folder_ = QFileInfo(path).path();
  session_.send_out(parts, path.toStdString());
}

}  // namespace anvil::app
