// SPDX-License-Identifier: GPL-3.0-or-later
// Takes the pictures of docs/screenshots from the demo job. Usage: screenshot_taker JOB FOLDER [NAME]
// Run it through tools/take_screenshots, which provides a display.
#include <QApplication>
#include <QLabel>
#include <QMouseEvent>
#include <QElapsedTimer>
#include <QScreen>
#include <QStandardPaths>
#include <QToolButton>
#include <fmt/format.h>

#include <functional>
#include <iostream>
#include <numbers>

#include "app/finder.h"
#include "app/main_window.h"
#include "app/theme.h"
#include "job/edit.h"

namespace {

using namespace anvil;
using namespace anvil::app;

void wait(int ms) {
  QElapsedTimer clock;
  clock.start();
  while (clock.elapsed() < ms) QApplication::processEvents(QEventLoop::AllEvents, 20);
}

PartId named(MainWindow& window, const std::string& name) {
  for (const PartPtr& part : window.session().job().parts)
    if (part->name == name) return part->id;
  qFatal("the demo job has no part %s", name.c_str());
}

/// Hides every other part, as a person would with H, and chooses this one.
void show_only(MainWindow& window, PartId id) {
  Job job = window.session().job();
  for (const PartPtr& part : window.session().job().parts)
    if (!job.is_tool(part->id)) job = edit::change_part(job, part->id, [&](Part& p) { p.visible = p.id == id; });
  window.session().commit(QStringLiteral("hide"), job);
  window.session().select({id});
}

/// The float housing alone, in the Mend station.
void float_housing(MainWindow& window) {
  window.set_station(Station::mend);
  show_only(window, named(window, "Float housing"));
  window.view().look(Direction::corner);
  wait(400);
  window.view().fit_selection();
}

/// A file of the demo data, alone, in the Recast station.
void brought_in(MainWindow& window, const char* file) {
  window.set_station(Station::recast);
  window.session().bring_in({std::filesystem::path(DEMO_DATA) / file}, Unit::millimetre);
  while (window.session().busy_with_files()) wait(50);
  window.session().wait_idle();
  show_only(window, window.session().chosen());
  window.view().look(Direction::corner);
  wait(400);
  window.view().fit_selection();
  wait(400);
}

void buoy_cap_recast(MainWindow& window) {
  brought_in(window, "buoy-cap.ply");
  window.verbs().find(QStringLiteral("recast"))->trigger();
  window.session().wait_idle();
}

/// Sets fields of the step that is worked on, as typing them would.
void set_fields(MainWindow& window, const std::vector<std::pair<std::string, FieldValue>>& values) {
  Session& session = window.session();
  session.commit(QStringLiteral("set"), edit::change_step(session.job(), session.active_step(), [&](Step& step) {
                   for (const auto& [key, value] : values) step.fields[*field_place(step.kind->fields, key)] = value;
                 }));
}

/// Moves the pointer to a point of the job, and clicks there.
void point_at(MainWindow& window, const Vec3& at, bool click) {
  ViewWidget& view = window.view();
  const QPointF pixel = view.pixel_of(at);
  const auto send = [&](QEvent::Type type, Qt::MouseButton button, Qt::MouseButtons buttons) {
    QMouseEvent event(type, pixel, view.mapToGlobal(pixel), button, buttons, Qt::NoModifier);
    QApplication::sendEvent(&view, &event);
  };
  send(QEvent::MouseMove, Qt::NoButton, Qt::NoButton);
  if (!click) return;
  send(QEvent::MouseButtonPress, Qt::LeftButton, Qt::LeftButton);
  send(QEvent::MouseButtonRelease, Qt::LeftButton, Qt::NoButton);
}

struct Shot {
  QString name;
  std::function<void(MainWindow&)> arrange;
};

const std::vector<Shot> shots = {
    {QStringLiteral("combine"),
     [](MainWindow& w) {
       w.set_station(Station::combine);
       w.session().select({named(w, "Mast bore")});
       w.view().look(Direction::corner);
       wait(400);
       w.view().fit_selection();
     }},
    {QStringLiteral("trays"),
     [](MainWindow& w) {
       w.set_station(Station::combine);
       Session& session = w.session();
       const auto rows = [&](std::initializer_list<const char*> names) {
         std::vector<UseId> uses;
         for (const char* name : names) uses.push_back(session.job().use_of(named(w, name))->id);
         return uses;
       };
       session.commit(QStringLiteral("tray"), edit::add_tray(session.job(), rows({"Hub", "Rib left", "Rib right"}), "Body"));
       session.commit(QStringLiteral("tray"), edit::add_tray(session.job(), rows({"Bolt hole 1", "Bolt hole 2", "Bolt hole 3", "Bolt hole 4"}), "Bolt pattern"));
       session.select({named(w, "Mast clamp")});
       w.view().look(Direction::corner);
       wait(400);
       w.view().fit_selection();
     }},
    {QStringLiteral("regions"),
     [](MainWindow& w) {
       w.set_station(Station::recast);
       show_only(w, named(w, "Mast clamp"));
       w.view().look(Direction::corner);
       wait(400);
       w.view().fit_selection();
       w.verbs().find(QStringLiteral("region_look"))->trigger();
       w.view().set_chosen_ghosts_only(true);
       w.view().set_tool_markers(false);
       wait(1500);
     }},
    {QStringLiteral("scan"), [](MainWindow& w) { brought_in(w, "fender-scan.ply"); }},
    {QStringLiteral("recast"), buoy_cap_recast},
    {QStringLiteral("reduce"),
     [](MainWindow& w) {
       buoy_cap_recast(w);
       w.verbs().find(QStringLiteral("reduce"))->trigger();
       w.session().wait_idle();
       set_fields(w, {{"keep", 0.1}});
       w.session().wait_idle();
       wait(300);
       w.verbs().find(QStringLiteral("deviation_map"))->trigger();
     }},
    {QStringLiteral("chamfer"),
     [](MainWindow& w) {
       w.set_station(Station::shape);
       const PartId clamp = named(w, "Mast clamp");
       show_only(w, clamp);
       w.view().look(Direction::corner);
       wait(400);
       w.view().fit_selection();
       for (const Step& step : w.session().job().at(clamp).recipe)
         if (step.kind == &steps::chamfer) w.session().set_active_step(step.id);
     }},
    {QStringLiteral("stencil"),
     [](MainWindow& w) {
       w.set_station(Station::shape);
       show_only(w, named(w, "Gland plate"));
       w.view().look(Direction::top);
       wait(500);
       w.view().fit_selection();
       wait(500);
       w.verbs().find(QStringLiteral("stencil_polygon"))->trigger();
       const Vec3 centre = w.session().world_bounds(w.session().chosen()).centre();
       for (const Vec3& off : {Vec3(-46, -34, 0), Vec3(-20, -34, 0), Vec3(-8, -14, 0), Vec3(-30, 2, 0)}) point_at(w, centre + off, true);
       point_at(w, centre + Vec3(-52, -8, 0), false);
     }},
    {QStringLiteral("push"),
     [](MainWindow& w) {
       w.set_station(Station::shape);
       const PartId clamp = named(w, "Mast clamp");
       show_only(w, clamp);
       w.view().look(Direction::corner);
       wait(400);
       w.view().fit_selection();
       w.view().set_render_style(RenderStyle::see_through);
       // The outer end of the foot.
       Chooser& chooser = w.session().chooser();
       chooser.start(ElementKind::faces);
       chooser.choose_by([](const Mesh& mesh, const Topology&, const Elements&) {
         Elements best{ElementKind::faces, {0}};
         double most = -1;
         for (Index f = 0; f < mesh.face_count(); ++f) {
           const Vec3 n = newell_normal(mesh.positions, mesh.face(f));
           if (const double facing = n.normalized().x() > 0.99 ? n.norm() : -1; facing > most) most = facing, best.list[0] = f;
         }
         return best;
       });
       w.verbs().find(QStringLiteral("push"))->trigger();
       set_fields(w, {{"depth", 14.0}});
     }},
    {QStringLiteral("scatter"),
     [](MainWindow& w) {
       w.set_station(Station::shape);
       Session& session = w.session();
       const PartId board = named(w, "Gland plate");
       Part dot;
       dot.name = "Dimple";
       dot.source = Primitive::of("icosphere", {5, 2});
       dot.placement.position = Vec3(0, 40, 3);
       PartId ball = 0;
       session.commit(QStringLiteral("ball"), edit::add_part(session.job(), dot, &ball));
       show_only(w, board);
       session.select({board, ball});
       w.verbs().find(QStringLiteral("scatter"))->trigger();
       set_fields(w, {{"count", 0.0}, {"distance", 7.0}, {"smallest", 0.6}});
       w.view().look(Direction::corner);
       wait(500);
       w.view().fit_selection();
     }},
    {QStringLiteral("lettering"),
     [](MainWindow& w) {
       w.set_station(Station::shape);
       const PartId board = named(w, "Gauge board");
       show_only(w, board);
       w.view().look(Direction::top);
       wait(500);
       w.session().set_active_step(w.session().job().at(board).recipe[1].id);
       Place place;
       place.position = Vec3(30, 590, 6);
       place.radius = 45;
       emit w.session().fly_requested(board, place);
       wait(600);
       w.view().forget_place();
     }},
    {QStringLiteral("mend-plan"),
     [](MainWindow& w) {
       float_housing(w);
       w.verbs().find(QStringLiteral("mend_plan"))->trigger();
       while (w.session().busy_with_files()) wait(50);
     }},
    {QStringLiteral("markers"),
     [](MainWindow& w) {
       float_housing(w);
       w.view().set_marks_through(true);
     }},
    {QStringLiteral("by-hand"),
     [](MainWindow& w) {
       w.set_station(Station::mend);
       w.session().select({named(w, "Mast clamp")});
       w.view().fit_selection();
       // The rim of the bore and what is smooth with it.
       Chooser& chooser = w.session().chooser();
       chooser.start(ElementKind::faces);
       chooser.choose_by([](const Mesh& mesh, const Topology& topology, const Elements&) {
         Elements seed{ElementKind::faces, {0}};
         for (Index f = 0; f < mesh.face_count(); ++f)
           if (mesh.face(f).size() > mesh.face(seed.list[0]).size()) seed.list[0] = f;
         return smooth_region(mesh, topology, grown(mesh, topology, seed), 20);
       });
     }},
    {QStringLiteral("four-views"),
     [](MainWindow& w) {
       w.set_station(Station::stock);
       w.session().select({named(w, "Gland plate")});
       w.view().set_four(true);
       w.view().fit_all();
     }},
    {QStringLiteral("forty-markers"),
     [](MainWindow& w) {
       // Thirty holes and bosses more on the mast clamp, all around its middle.
       Session& session = w.session();
       const PartId clamp = named(w, "Mast clamp");
       Job job = session.job();
       std::vector<PartId> holes, bosses;
       for (int k = 0; k < 30; ++k) {
         const double angle = 2 * std::numbers::pi * k / 30;
         Part part;
         const bool is_boss = k % 4 == 0;
         part.name = fmt::format(fmt::runtime(is_boss ? "Boss {}" : "Pin hole {}"), k + 1);
         part.source = Primitive::of("cylinder", {is_boss ? 5.0 : 3.0, is_boss ? 5.0 : 40.0, 24});
         part.placement.position = Vec3(25 * std::cos(angle), 25 * std::sin(angle), 71);
         PartId id = 0;
         job = edit::add_part(job, part, &id);
         (is_boss ? bosses : holes).push_back(id);
       }
       job = *edit::combine(*edit::combine(job, clamp, bosses, Operation::unite), clamp, holes, Operation::difference);
       session.commit(QStringLiteral("forty"), job);
       w.set_station(Station::combine);
       show_only(w, clamp);
       w.view().set_chosen_ghosts_only(true);
       session.select({named(w, "Pin hole 20")});
       w.view().look(Direction::corner);
       wait(400);
       w.view().fit_all();
     }},
    {QStringLiteral("failing-step"),
     [](MainWindow& w) {
       Session& session = w.session();
       w.set_station(Station::combine);
       show_only(w, named(w, "Gland plate"));
       // A label without any thickness is to keep what it has in common with the plate.
       Mesh sheet;
       for (const Vec3& corner : {Vec3(-30, -12, 0), Vec3(30, -12, 0), Vec3(30, 12, 0), Vec3(-30, 12, 0)}) sheet.add_vertex(corner);
       sheet.add_face({0, 1, 2, 3});
       Part label;
       label.name = "Gauge label";
       label.source = ImportedSource{std::make_shared<const Mesh>(std::move(sheet)), "gauge-label.off"};
       label.placement.position = Vec3(0, 110, 4);
       PartId id = 0;
       StepId step = 0;
       const PartId plate = named(w, "Gland plate");
       Job job = edit::add_part(session.job(), label, &id);
       job = *edit::add_step(job, plate, new_step(steps::combine), &step);
       session.commit(QStringLiteral("label"), edit::add_tools(job, step, {id}, Operation::intersection));
       session.wait_idle();
       wait(500);
       // The first step is closed, so that the one that fails is in sight.
       for (QToolButton* title : w.findChildren<QToolButton*>())
         if (title->isVisible() && title->isCheckable() && title->isChecked() && (title->text() == QStringLiteral("Box") || title->text() == QStringLiteral("Combine"))) {
           title->setChecked(false);
         }
       wait(200);
       for (QLabel* failure : w.findChildren<QLabel*>(QStringLiteral("step_failure")))
         if (!failure->text().isEmpty())
           for (QToolButton* title : failure->parentWidget()->parentWidget()->findChildren<QToolButton*>())
             if (title->isCheckable() && title->text() == QStringLiteral("Combine")) title->setChecked(true);
       w.view().fit_all();
     }},
    {QStringLiteral("changes"),
     [](MainWindow& w) {
       w.set_station(Station::combine);
       w.session().select({named(w, "Mast clamp")});
       for (const char* verb : {"duplicate", "hide", "lock"}) w.verbs().find(QLatin1String(verb))->trigger();
       w.session().undo();
       w.verbs().find(QStringLiteral("changes"))->trigger();
     }},
    {QStringLiteral("keys"), [](MainWindow& w) { w.verbs().find(QStringLiteral("key_sheet"))->trigger(); }},
};

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) {
    std::cerr << "usage: screenshot_taker JOB FOLDER [NAME]\n";
    return 2;
  }
  QStandardPaths::setTestModeEnabled(true);
  request_opengl();
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("clean-anvil-screenshots"));
  theme::apply(application);
  for (const Shot& shot : shots) {
    if (argc > 3 && shot.name != QString::fromLocal8Bit(argv[3])) continue;
    MainWindow window;
    window.setGeometry(0, 0, 1280, 800);
    window.show();
    window.files().open_paths({QString::fromLocal8Bit(argv[1])});
    while (window.session().busy_with_files()) wait(50);
    window.session().wait_idle();
    wait(300);
    shot.arrange(window);
    wait(900);
    const QString file = QStringLiteral("%1/%2.png").arg(QString::fromLocal8Bit(argv[2]), shot.name);
    if (!QApplication::primaryScreen()->grabWindow(0, 0, 0, 1280, 800).save(file)) {
      std::cerr << "cannot write " << file.toStdString() << '\n';
      return 1;
    }
    std::cout << file.toStdString() << '\n';
  }
  return 0;
}
