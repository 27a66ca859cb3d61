// SPDX-License-Identifier: GPL-3.0-or-later
// Mend, by hand: choosing vertices, edges and faces, and the edits of what is chosen.
#include <QInputDialog>

#include "app/main_window.h"
#include "app/stations/desk.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

constexpr double default_angle = 30;  // degrees

struct Hand {
  Desk& desk;
  Session& session = desk.session;
  Chooser& chooser = desk.session.chooser();

  QAction* choose(const char* id, const QString& label, const char* icon, const char* shortcut, const QString& help, std::function<void()> run) {
    return desk.book.add(Station::mend, choose_group(), QLatin1String(id), label, QLatin1String(icon), {key(shortcut)}, help, std::move(run));
  }
  bool can_choose() const { return chooser.evaluated() != nullptr || session.result(session.recipe_owner()).evaluated != nullptr; }
};

/// Asks for an angle; nothing when it is left.
std::optional<double> ask_angle(QWidget* window, const QString& what) {
  QInputDialog dialog(window);
  dialog.setObjectName(QStringLiteral("angle"));
  dialog.setInputMode(QInputDialog::DoubleInput);
  dialog.setWindowTitle(what);
  dialog.setLabelText(QObject::tr("Where the surface turns by more than, in degrees:"));
  dialog.setDoubleRange(0, 180);
  dialog.setDoubleDecimals(1);
  dialog.setDoubleValue(default_angle);
  if (dialog.exec() != QDialog::Accepted) return std::nullopt;
  return dialog.doubleValue();
}

void add_kinds_and_ways(Hand& hand) {
  Chooser& chooser = hand.chooser;
  struct Kind {
    ElementKind kind;
    const char *id, *label, *icon, *key;
  };
  for (const Kind& k : {Kind{ElementKind::vertices, "choose_vertices", "Vertices", "vertices", "C"}, Kind{ElementKind::edges, "choose_edges", "Edges", "edges", "E"},
                        Kind{ElementKind::faces, "choose_faces", "Faces", "faces", "A"}}) {
    QAction* action = hand.choose(k.id, QObject::tr(k.label), k.icon, k.key, QObject::tr("Choose %1 of the part; once more ends it.").arg(QLatin1String(name_of(k.kind, true))), [&chooser, k] {
      chooser.on() && chooser.chosen().kind == k.kind ? chooser.stop() : chooser.start(k.kind);
    });
    hand.desk.book.check(action, [&chooser, k] { return chooser.on() && chooser.chosen().kind == k.kind; });
    hand.desk.book.allow(action, [hand] { return hand.can_choose(); });
  }
  struct Way {
    Chooser::Way way;
    const char *id, *label, *icon, *key, *help;
  };
  for (const Way& w : {Way{Chooser::Way::click, "choose_by_click", "By click", "by_click", "Shift+C", "A click chooses what is under the pointer."},
                       Way{Chooser::Way::box, "choose_by_box", "By box", "by_box", "Shift+B", "A dragged box chooses what lies wholly in it."},
                       Way{Chooser::Way::paint, "choose_by_paint", "By brush", "by_paint", "Shift+P", "Dragging chooses what the brush touches."},
                       Way{Chooser::Way::lasso, "choose_by_lasso", "By outline", "by_lasso", "Shift+A", "A line drawn round chooses what lies wholly in it."}}) {
    QAction* action = hand.choose(w.id, QObject::tr(w.label), w.icon, w.key, QObject::tr(w.help), [&chooser, w] { chooser.set_way(w.way); });
    hand.desk.book.check(action, [&chooser, w] { return chooser.way() == w.way; });
    hand.desk.book.allow(action, [hand] { return hand.can_choose(); });
  }
  QAction* through = hand.choose("choose_through", QObject::tr("Hidden too"), "through", "Shift+X", QObject::tr("Choose right through the part, not only what is seen."),
                                 [&chooser] { chooser.set_through(!chooser.through()); });
  hand.desk.book.check(through, [&chooser] { return chooser.through(); });
}

void add_walks(Hand& hand) {
  Chooser& chooser = hand.chooser;
  struct Walk {
    const char *id, *label, *icon, *key, *help;
    Elements (*way)(const Mesh&, const Topology&, const Elements&);
  };
  for (const Walk& w : {Walk{"choose_more", "Grow", "grow", "Shift+G", "Add what lies next to the chosen.", grown},
                        Walk{"choose_fewer", "Shrink", "shrink", "Shift+S", "Take away what lies at the edge of the chosen.", shrunk},
                        Walk{"choose_connected", "Whole shell", "connected", "Shift+U", "Add all that hangs together with the chosen.", connected},
                        Walk{"choose_region", "Whole region", "regions", "Alt+R", "Add all faces of the regions of the chosen.", whole_regions},
                        Walk{"choose_edge_loop", "Edge loop", "edge_loop", "R", "From each chosen edge on, straight ahead and all around.", edge_loop},
                        Walk{"choose_boundary", "Boundary loop", "boundary_loop", "Shift+Y", "The open boundary that the chosen lie on; of faces, their outline.", boundary_loop},
                        Walk{"choose_others", "Invert", "invert", "Shift+I", "Choose what is not chosen, and let go of what is.", inverted}}) {
    QAction* action = hand.choose(w.id, QObject::tr(w.label), w.icon, w.key, QObject::tr(w.help), [&chooser, w] { chooser.choose_by(w.way); });
    hand.desk.book.allow(action, [&chooser, any = w.way == inverted] { return chooser.on() && (any || !chooser.chosen().empty()); });
  }
  QAction* region = hand.choose("choose_by_angle", QObject::tr("By angle"), "by_angle", "Shift+W", QObject::tr("Add the faces that are reached without crossing a crease."),
                                [&chooser, &window = hand.desk.window] {
                                  if (const auto degrees = ask_angle(&window, QObject::tr("By angle")))
                                    chooser.choose_by([&](const Mesh& mesh, const Topology& t, const Elements& chosen) { return smooth_region(mesh, t, chosen, *degrees); });
                                });
  hand.desk.book.allow(region, [&chooser] { return chooser.on() && !chooser.chosen().empty(); });
  QAction* sharp = hand.choose("choose_sharp", QObject::tr("Sharp edges"), "sharp_edges", "Shift+Z", QObject::tr("Choose all edges where the surface turns sharply."),
                               [&chooser, &window = hand.desk.window] {
                                 if (const auto degrees = ask_angle(&window, QObject::tr("Sharp edges")))
                                   chooser.choose_by([&](const Mesh& mesh, const Topology& t, const Elements&) { return sharp_edges(mesh, t, *degrees); });
                               });
  hand.desk.book.allow(sharp, [hand] { return hand.can_choose(); });
  QAction* same = hand.choose("choose_same_defect", QObject::tr("Same defect"), "marks", "Shift+M",
                              QObject::tr("Choose all elements of the defects that the chosen ones have a part in; of the first family found, where none is chosen."),
                              [&session = hand.session, &chooser] {
                                const ReportPtr report = session.result(chooser.part()).report;
                                if (!report) return;
                                chooser.choose_by([&](const Mesh& mesh, const Topology& t, const Elements& chosen) { return same_defect(mesh, t, *report, chosen); });
                                if (chooser.chosen().empty()) session.say(QObject::tr("No defect has such elements"));
                              });
  hand.desk.book.allow(same, [hand] { return hand.chooser.on() && hand.session.result(hand.chooser.part()).report != nullptr; });
}

}  // namespace

QString choose_group() { return QObject::tr("Choose by hand"); }
QString edit_group() { return QObject::tr("Edit by hand"); }

void add_hand_verbs(Desk& desk) {
  Hand hand{desk};
  add_kinds_and_ways(hand);
  add_walks(hand);
  Session& session = desk.session;
  Chooser& chooser = session.chooser();
  const auto edit = [&](const char* id, const QString& label, const char* icon, const char* shortcut, const QString& help, std::function<void()> run) {
    return desk.book.add(Station::mend, edit_group(), QLatin1String(id), label, QLatin1String(icon), {key(shortcut)}, help, std::move(run));
  };
  for (const StepKind* kind : step_table()) {
    const auto place = field_place(kind->fields, "chosen");
    if (kind->station != "mend" || !place) continue;
    QAction* action = edit(kind->key.c_str(), QString::fromStdString(kind->label), kind->icon.c_str(), kind->shortcut.c_str(), QString::fromStdString(kind->help),
                           [&session, kind] { session.edit_chosen(*kind); });
    action->setObjectName(QStringLiteral("edit_") + QString::fromStdString(kind->key));
    desk.book.allow(action, [&chooser, &field = kind->fields[*place]] { return chooser.fits(field); });
  }
  desk.book.allow(edit("mend_chosen", QObject::tr("Mend there"), "mend", "Ctrl+Shift+M", QObject::tr("Mend all flaws at the chosen elements, and no others."),
                       [&session] { session.mend_chosen(); }),
                  [&chooser] { return chooser.on() && !chooser.chosen().empty(); });
  desk.book.allow(edit("detach", QObject::tr("Detach"), "detach", "Shift+D", QObject::tr("Make the chosen faces a part of their own; join puts them back."),
                       [&session, &chooser] {
                         PartId piece = 0;
                         const PartId owner = session.recipe_owner();
                         const Elements faces = converted(*chooser.evaluated()->mesh, *chooser.topology(), chooser.chosen(), ElementKind::faces);
                         if (session.commit(QObject::tr("detach"), edit::detach_faces(session.job(), owner, *chooser.evaluated(), faces, &piece, session.new_step_place())))
                           session.say(QObject::tr("The chosen faces are a part of their own: %1").arg(QString::fromStdString(session.job().at(piece).name)));
                       }),
                  [&chooser] { return chooser.count_as(ElementKind::faces) > 0; });
  desk.book.allow(edit("join", QObject::tr("Join"), "join", "Shift+J", QObject::tr("Put the other chosen parts into the first and weld them to it where open edges meet."),
                       [&session] {
                         std::vector<PartId> others = session.selection();
                         const PartId part = others.front();
                         others.erase(others.begin());
                         if (session.commit(QObject::tr("join"), edit::join(session.job(), part, others, session.new_step_place()))) session.select({part});
                       }),
                  [&session] { return session.selection().size() > 1; });
  QObject::connect(&chooser, &Chooser::changed, &desk.book, [&book = desk.book] { book.refresh(); });
}

}  // namespace anvil::app
