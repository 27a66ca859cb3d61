// SPDX-License-Identifier: GPL-3.0-or-later
// The real window with a part of a million triangles: time per frame while it orbits, and the longest
// time that one event took while the part was read, checked and combined, by the wall and of the window's own thread.
// The same for jobs of many parts, many steps and parts that share parts: with "many" only these. With "drag" only the last part is
// done: a tool is dragged on 100 000 triangles, and results that came are held against those that were shown.
// Needs a display: xvfb-run -a -s "-screen 0 1280x800x24" build/release/bench/window_bench
#include <QApplication>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QTest>
#include <QTimer>
#include <fmt/format.h>

#include <ctime>
#include <filesystem>
#include <iostream>
#include <utility>

#include "app/main_window.h"
#include "app/theme.h"
#include "bench/support/jobs.h"
#include "core/io/mesh_file.h"
#include "job/edit.h"

namespace {

using namespace anvil;
using namespace anvil::app;

/// Longest time between two turns of the event loop, and the longest that one event took, with its receiver.
class Window {
 public:
  struct Stall {
    double wall = 0, own = 0;  ///< milliseconds; own: in which the thread itself ran
    std::string what;
  };
  static Stall worst;
  static double own_now() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return 1e3 * static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_nsec);
  }
  static std::string take() {
    const Stall taken = worst;
    worst = {};
    return fmt::format("longest event {:.0f} ms, of which own work {:.0f} ms ({})", taken.wall, taken.own, taken.what);
  }
};
Window::Stall Window::worst;

class MeasuredApplication : public QApplication {
 public:
  using QApplication::QApplication;
  bool notify(QObject* receiver, QEvent* event) override {
    if (depth_ > 0) return QApplication::notify(receiver, event);
    const std::string what = fmt::format("{} {}", receiver->metaObject()->className(), static_cast<int>(event->type()));
    ++depth_;
    QElapsedTimer clock;
    clock.start();
    const double before = Window::own_now();
    const bool result = QApplication::notify(receiver, event);
    --depth_;
    const double wall = static_cast<double>(clock.nsecsElapsed()) / 1e6;
    if (wall > Window::worst.wall) Window::worst = {wall, Window::own_now() - before, what};
    return result;
  }

 private:
  int depth_ = 0;
};

/// Orbits for three seconds, as fast as frames come. @return milliseconds a frame; negative when none came
double orbit(MainWindow& window) {
  ViewWidget& view = window.view();
  QWindow* target = window.windowHandle();
  const QPoint middle = view.mapTo(&window, QPoint(view.width() / 2, view.height() / 2));
  int frames = 0;
  const auto counting = QObject::connect(&view, &ViewWidget::painted, [&] { ++frames; });
  QTest::mousePress(target, Qt::RightButton, {}, middle);
  QElapsedTimer clock;
  clock.start();
  for (int k = 10; clock.elapsed() < 3000; ++k) {
    const int before = frames;
    QTest::mouseMove(target, middle + QPoint(k % 200, 20 + k % 90));
    if (!QTest::qWaitFor([&] { return frames > before; }, 5000)) return -1;
  }
  const double ms = static_cast<double>(clock.elapsed()) / std::max(1, frames);
  QTest::mouseRelease(target, Qt::RightButton, {}, middle);
  QObject::disconnect(counting);
  return ms;
}

/// Drags a tool of a part for three seconds. @return results that came, frames in which one was shown, and how often a result
/// came while the one before it had not been shown
struct Shown {
  int results = 0, frames = 0, overtaken = 0;
};
Shown drag(MainWindow& window, PartId part, const QPointF& from) {
  Shown shown;
  bool waits = false;
  EvaluatedPtr last;
  const auto result = QObject::connect(&window.session(), &Session::result_changed, [&](PartId id) {
    const EvaluatedPtr now = window.session().result(part).evaluated;
    if (id != part || now == last) return;
    last = now;
    ++shown.results;
    shown.overtaken += std::exchange(waits, true);
  });
  const auto frame = QObject::connect(&window.view(), &ViewWidget::painted, [&] { shown.frames += std::exchange(waits, false); });
  QWindow* target = window.windowHandle();
  const QPoint at = window.view().mapTo(&window, from).toPoint();
  QTest::mousePress(target, Qt::LeftButton, {}, at);
  QElapsedTimer clock;
  clock.start();
  for (int k = 6; clock.elapsed() < 3000; ++k) {
    QTest::mouseMove(target, at + QPoint(0, 6 + k % 30));
    QTest::qWait(8);
  }
  QTest::mouseRelease(target, Qt::LeftButton, {}, at);
  QObject::disconnect(result);
  QObject::disconnect(frame);
  return shown;
}

bool ready(Session& session) {
  if (session.busy_with_files() || session.job().parts.empty()) return false;
  return std::all_of(session.job().parts.begin(), session.job().parts.end(),
                     [&](const PartPtr& p) { return session.result(p->id).report != nullptr; });
}

/// A ball and a ring of a million triangles: orbiting, reading, combining. @return false when something did not come
bool look_at_a_million(MainWindow& window) {
  Session& session = window.session();
  const auto path = std::filesystem::temp_directory_path() / "clean-anvil-bench-million.ply";
  if (!write_mesh(*make_mesh(Primitive::of("torus", {100, 40, 1000, 500})), path).ok()) return false;

  QElapsedTimer clock;
  Part ball;
  ball.name = "Ball";
  ball.source = Primitive::of("sphere", {60, 72, 51});  // 7 200 triangles
  session.commit("add", edit::add_part(session.job(), ball));
  if (!QTest::qWaitFor([&] { return ready(session); }, 60000)) return false;
  QTest::qWait(500);
  std::cout << "orbiting 7 200 triangles: " << orbit(window) << " ms a frame (bar 30)\n";
  session.new_job();
  Window::take();
  clock.start();
  session.bring_in({path}, Unit::millimetre);
  if (!QTest::qWaitFor([&] { return ready(session); }, 60000)) return false;
  std::cout << "read, checked and shown after " << clock.elapsed() << " ms, " << Window::take() << "\n";
  QTest::qWait(1000);
  Window::take();

  std::cout << "orbiting a million triangles: " << orbit(window) << " ms a frame (bar 30), " << Window::take() << "\n";
  QTest::qWait(800);
  std::cout << "settling to the full drawing: " << Window::take() << "\n";

  const PartId big = session.job().parts[0]->id;
  Part cylinder;
  cylinder.name = "Cylinder";
  cylinder.source = Primitive::of("cylinder");
  cylinder.placement.position.x() = 50;
  PartId tool = 0;
  const Job with_tool = edit::add_part(session.job(), cylinder, &tool);
  session.commit(QStringLiteral("add"), with_tool);
  QTest::qWait(300);
  clock.start();
  session.commit(QStringLiteral("cut"), edit::combine(session.job(), big, {tool}, Operation::difference));
  const EvaluatedPtr before = session.result(big).evaluated;
  if (!QTest::qWaitFor([&] { return session.result(big).evaluated != before && ready(session); }, 60000))
    return false;
  std::cout << "combined after " << clock.elapsed() << " ms, " << Window::take() << "\n";
  session.new_job();
  std::filesystem::remove(path);
  return true;
}

/// Two million points on a ball with waves on it. @return false when something did not come
bool look_at_points(MainWindow& window) {
  Session& session = window.session();
  const auto path = std::filesystem::temp_directory_path() / "clean-anvil-bench-points.ply";
  Mesh cloud;
  cloud.cloud = true;
  constexpr int count = 2'000'000;
  for (int k = 0; k < count; ++k) {
    const double z = 1 - (2 * k + 1.0) / count, angle = 2.399963229728653 * k, r = std::sqrt(1 - z * z);
    cloud.add_vertex((50 + 4 * std::sin(9 * z) + 2 * std::cos(5 * angle)) * Vec3(r * std::cos(angle), r * std::sin(angle), z));
  }
  if (!write_mesh(cloud, path).ok()) return false;
  Window::take();
  QElapsedTimer clock;
  clock.start();
  session.bring_in({path}, Unit::millimetre);
  if (!QTest::qWaitFor([&] { return ready(session); }, 60000)) return false;
  std::cout << "2 000 000 points read and shown after " << clock.elapsed() << " ms, " << Window::take() << "\n";
  window.view().fit_all();
  QTest::qWait(1500);
  Window::take();
  std::cout << "orbiting them: " << orbit(window) << " ms a frame (bar 30), " << Window::take() << "\n";
  QTest::qWait(800);
  std::cout << "settling to the full drawing: " << Window::take() << "\n";
  session.new_job();
  std::filesystem::remove(path);
  return true;
}

/// Commits a job, and works on it as people do. @return false when something did not come
bool work_on(MainWindow& window, const char* what, Job job, PartId part) {
  Session& session = window.session();
  Window::take();
  QElapsedTimer clock;
  clock.start();
  const auto step = [&](const char* doing, const std::function<void()>& work) {
    QTimer::singleShot(0, &window, work);
    QTest::qWait(1);
    const bool came = QTest::qWaitFor([&] { return std::all_of(session.job().parts.begin(), session.job().parts.end(), [&](const PartPtr& p) { return session.is_current(p->id); }); }, 120'000);
    QTest::qWait(300);
    std::cout << what << ", " << doing << ": after " << clock.elapsed() << " ms, " << Window::take() << std::endl;
    clock.restart();
    return came;
  };
  const bool came = step("made", [&] { session.commit(QStringLiteral("make"), std::move(job)); }) && step("one chosen", [&] { session.select({part}); }) &&
                    step("renamed", [&] { session.commit(QStringLiteral("rename"), edit::change_part(session.job(), part, [](Part& p) { p.name = "Renamed"; })); }) &&
                    step("moved", [&] {
                      Placement placement = session.job().at(part).placement;
                      placement.position.x() += 1;
                      session.commit(QStringLiteral("move"), edit::change_part(session.job(), part, [&](Part& p) { p.placement = placement; }));
                    }) &&
                    step("all chosen", [&] {
                      std::vector<PartId> all;
                      for (const PartPtr& p : session.job().parts) all.push_back(p->id);
                      session.select(all);
                    }) &&
                    step("taken back", [&] { session.undo(); });
  session.new_job();
  QTest::qWait(300);
  std::cout << what << ", closed: " << Window::take() << std::endl;
  return came;
}

/// Clicks on faces, edges and vertices of a million triangles. @return false when something did not come
bool choose_on_a_million(MainWindow& window) {
  Session& session = window.session();
  Part ring;
  ring.name = "Ring";
  ring.source = ImportedSource{std::make_shared<const Mesh>(*make_mesh(Primitive::of("torus", {100, 40, 1000, 500}))), "ring.ply"};
  session.commit("add", edit::add_part(session.job(), ring));
  if (!QTest::qWaitFor([&] { return ready(session); }, 60000)) return false;
  session.select({session.job().parts[0]->id});
  window.view().fit_all();
  QTest::qWait(1000);
  const QPoint middle = window.view().mapTo(&window, QPoint(window.view().width() / 2 - 160, window.view().height() / 2 + 40));
  for (const ElementKind kind : {ElementKind::faces, ElementKind::edges, ElementKind::vertices}) {
    Window::take();
    session.chooser().start(kind);
    QTest::qWait(1500);
    std::cout << "choosing " << name_of(kind, true) << " of a million triangles, begun: " << Window::take() << "\n";
    for (int k = 0; k < 5; ++k) {
      QTest::mouseClick(window.windowHandle(), Qt::LeftButton, k % 2 == 0 ? Qt::NoModifier : Qt::ShiftModifier, middle + QPoint(4 * k, 2 * k));
      QTest::qWait(300);
    }
    std::cout << session.chooser().chosen().size() << " chosen by five clicks, " << Window::take() << std::endl;
  }
  session.chooser().start(ElementKind::faces);
  session.chooser().set_way(Chooser::Way::box);
  QTest::qWait(1500);
  Window::take();
  int frames = 0;
  const auto counting = QObject::connect(&window.view(), &ViewWidget::painted, [&] { ++frames; });
  QElapsedTimer clock;
  QTest::mousePress(window.windowHandle(), Qt::LeftButton, {}, middle - QPoint(150, 150));
  for (int k = -6; k <= 6; ++k) {
    QTest::mouseMove(window.windowHandle(), middle + QPoint(25 * k, 25 * k));
    QTest::qWait(10);
  }
  clock.start();
  QTest::mouseRelease(window.windowHandle(), Qt::LeftButton, {}, middle + QPoint(150, 150));
  const bool came = QTest::qWaitFor([&] { return session.chooser().chosen().size() > 1; }, 30'000);
  std::cout << session.chooser().chosen().size() << " faces chosen by a box after " << clock.elapsed() << " ms, in which the window drew " << frames << " frames" << std::endl;
  QObject::disconnect(counting);
  session.chooser().stop();
  session.new_job();
  return came;
}

/// @return false when something did not come
bool work_on_many(MainWindow& window) {
  return work_on(window, "20 levels of parts that share parts", bench::shared_twenty_deep(), 21) && work_on(window, "1 000 boxes", bench::thousand_boxes(), 500) &&
         work_on(window, "500 cuts", bench::five_hundred_cuts(), 1) && choose_on_a_million(window);
}

}  // namespace

int main(int argc, char** argv) {
  QStandardPaths::setTestModeEnabled(true);
  request_opengl();
  MeasuredApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("clean-anvil-bench"));
  theme::apply(application);

  MainWindow window;
  window.setGeometry(0, 0, 1280, 800);
  window.show();
  if (!QTest::qWaitForWindowExposed(&window)) return 1;
  QTest::qWait(500);
  Session& session = window.session();
  const std::string only = argc < 2 ? "" : argv[1];
  if (only != "drag" && !work_on_many(window)) return 1;
  if (only == "many") return 0;
  if (only.empty() && (!look_at_a_million(window) || !look_at_points(window))) return 1;
  session.commit(QStringLiteral("ring"), bench::ring_with_forty());
  if (!QTest::qWaitFor([&] { return ready(session); }, 60000)) return 1;
  session.select({9});
  window.view().fit_all();
  QTest::qWait(1500);
  const auto marker = window.view().marker_pixel(9);
  if (!marker) return 1;
  const Shown shown = drag(window, 1, *marker);
  std::cout << "dragging one tool of 40 on 100 000 triangles for 3 s: " << shown.results << " results, " << shown.frames << " shown, " << shown.overtaken
            << " overtaken by the next before they were, " << Window::take() << "\n";
  session.new_job();
  return shown.overtaken * 20 > shown.results ? 1 : 0;
}
