// SPDX-License-Identifier: GPL-3.0-or-later
// Takes the pictures of docs/screenshots from the demo job. Usage: screenshot_taker JOB FOLDER [NAME]
// Run it through tools/take_screenshots, which provides a display.
#include <QApplication>
#include <QElapsedTimer>
#include <QScreen>
#include <QStandardPaths>
#include <QSurfaceFormat>
#include <functional>
#include <iostream>

#include "app/finder.h"
#include "app/main_window.h"
#include "app/theme.h"

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
    {QStringLiteral("rail"),
     [](MainWindow& w) {
       w.set_station(Station::mend);
       w.session().select({named(w, "Float housing")});
       wait(300);
       w.rail().show_next(1);
     }},
    {QStringLiteral("contact"),
     [](MainWindow& w) {
       w.set_station(Station::combine);
       w.session().select({named(w, "Gland plate")});
       w.view().look(Direction::top);
       wait(400);
       w.view().fit_selection();
     }},
    {QStringLiteral("four-views"),
     [](MainWindow& w) {
       w.set_station(Station::stock);
       w.session().select({named(w, "Gland plate")});
       w.view().set_four(true);
       w.view().fit_all();
     }},
    {QStringLiteral("wires"),
     [](MainWindow& w) {
       w.session().select({named(w, "Mast clamp")});
       w.view().set_look(Look::wires);
       w.view().fit_selection();
     }},
    {QStringLiteral("see-through"),
     [](MainWindow& w) {
       w.session().select({named(w, "Mast clamp")});
       w.view().set_look(Look::see_through);
       w.view().fit_selection();
     }},
    {QStringLiteral("finder"), [](MainWindow& w) { w.verbs().find(QStringLiteral("find"))->trigger(); }},
    {QStringLiteral("keys"), [](MainWindow& w) { w.verbs().find(QStringLiteral("key_sheet"))->trigger(); }},
};

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) {
    std::cerr << "usage: screenshot_taker JOB FOLDER [NAME]\n";
    return 2;
  }
  QStandardPaths::setTestModeEnabled(true);
  QSurfaceFormat format;
  format.setVersion(3, 3);
  format.setProfile(QSurfaceFormat::CoreProfile);
  format.setDepthBufferSize(24);
  QSurfaceFormat::setDefaultFormat(format);
  QApplication application(argc, argv);
  QApplication::setApplicationName(QStringLiteral("clean-anvil-screenshots"));
  theme::apply(application);
  for (const Shot& shot : shots) {
    if (argc > 3 && shot.name != QString::fromLocal8Bit(argv[3])) continue;
    MainWindow window;
    window.setGeometry(0, 0, 1280, 800);
    window.show();
    window.files().open_paths({QString::fromLocal8Bit(argv[1])});
    wait(200);
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
