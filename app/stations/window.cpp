// SPDX-License-Identifier: GPL-3.0-or-later
// The window itself: its stations, the finder and the keys.
#include "app/finder.h"
#include "app/main_window.h"
#include "app/stations/desk.h"

namespace anvil::app {

void add_window_verbs(Desk& desk) {
  MainWindow& window = desk.window;
  const QString group = QObject::tr("Window");
  auto add = [&](const std::string& id, const QString& label, const std::string& shortcut, const QString& help, std::function<void()> run) {
    return desk.book.add(Station::anywhere, group, QString::fromStdString(id), label, "", {key(shortcut.c_str())}, help, std::move(run));
  };
  for (std::size_t k = 0; k < stations.size(); ++k)
    add("station_" + std::to_string(k + 1), QObject::tr("%1 station").arg(QLatin1String(label_of(stations[k]))),
        "Ctrl+" + std::to_string(k + 1), QObject::tr("Go to this station."),
        [&window, k] { window.set_station(stations[k]); });
  desk.book.check(add("full_screen", QObject::tr("Full screen"), "F11", QObject::tr("Use the whole screen."),
                  [&window] { window.setWindowState(window.windowState() ^ Qt::WindowFullScreen); }),
              [&window] { return window.isFullScreen(); });
  desk.book.add(Station::anywhere, QObject::tr("Window"), "find", QObject::tr("Find a verb"), "find", {key("Ctrl+K")},
            QObject::tr("Search everything that can be done."), [&window, &book = desk.book] {
              auto* finder = new Finder(book, &window);
              finder->setAttribute(Qt::WA_DeleteOnClose);
              finder->open();
            });
  desk.book.add(Station::anywhere, QObject::tr("Window"), "key_sheet", QObject::tr("Keys"), "keys", {QKeySequence(Qt::Key_F1)},
            QObject::tr("Show all keys on one sheet."), [&window, &book = desk.book] {
              auto* sheet = new KeySheet(book, &window);
              sheet->setAttribute(Qt::WA_DeleteOnClose);
              sheet->open();
            });
}

}  // namespace anvil::app
