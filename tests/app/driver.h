// SPDX-License-Identifier: GPL-3.0-or-later
// Drives the real window with mouse and key events that enter where the window system's do.
#pragma once

#include <QApplication>
#include <QComboBox>
#include <QDialog>
#include <QElapsedTimer>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMessageBox>
#include <QPointer>
#include <QPushButton>
#include <QScrollArea>
#include <QSettings>
#include <QStandardPaths>
#include <QTest>
#include <QTimer>
#include <QToolButton>
#include <catch2/catch.hpp>

#include "app/main_window.h"
#include "tests/support/meshes.h"

namespace anvil::test {

using namespace anvil::app;

/// Where safety copies are, and those that are there.
inline std::filesystem::path recovery_folder() {
  return std::filesystem::path(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString()) / "recovery";
}
inline std::vector<std::filesystem::path> safety_copies() {
  std::vector<std::filesystem::path> copies;
  std::error_code error;
  for (const auto& entry : std::filesystem::directory_iterator(recovery_folder(), error))
    if (entry.path().extension() == ".anvil") copies.push_back(entry.path());
  return copies;
}

class Driver {
 public:
  Driver() {
    window.setGeometry(0, 0, 1280, 800);
    window.show();
    REQUIRE(QTest::qWaitForWindowExposed(&window));
    window.activateWindow();
    QTest::qWait(50);
    // A dialog that nobody answers would hold the test for ever.
    QObject::connect(&watch, &QTimer::timeout, &window, [this] {
      QWidget* dialog = QApplication::activeModalWidget();
      waited = dialog != nullptr && dialog == unanswered ? waited + 1 : 0;
      unanswered = dialog;
      if (waited < 30) return;
      UNSCOPED_INFO("nobody answered the dialog " << dialog->objectName().toStdString());
      CHECK(dialog == nullptr);
      dialog->close();
    });
    watch.start(1000);
  }
  ~Driver() {
    window.session().new_job();  // nothing unsaved, so closing asks nothing
    window.close();
  }

  MainWindow window;
  QTimer watch;
  QWidget* unanswered = nullptr;
  int waited = 0;  // seconds
  Session& session() { return window.session(); }
  const Job& job() { return session().job(); }
  ViewWidget& view() { return window.view(); }

  /// Waits until `holds`, at most a minute: sanitizers are slow.
  static bool until(const std::function<bool()>& holds) { return QTest::qWaitFor(holds, 60000); }

  /// Waits for every part's mesh and report.
  void settle() {
    const auto all_there = [this] {
      if (session().busy_with_files()) return false;
      return std::all_of(job().parts.begin(), job().parts.end(),
                         [this](const PartPtr& p) { return session().is_current(p->id) || session().result(p->id).issue; });
    };
    // What a key asked for may come only while waiting.
    do {
      QCoreApplication::processEvents();
      session().wait_idle();
      REQUIRE(until(all_there));
      QTest::qWait(30);
    } while (!all_there());
  }

  static QWindow* window_of(QWidget* widget) { return widget->window()->windowHandle(); }
  static QPoint in_window(QWidget* widget, const QPointF& at) {
    return widget->mapTo(widget->window(), at).toPoint();
  }

  void press(QWidget* widget, const QPointF& at, Qt::MouseButton button = Qt::LeftButton,
             Qt::KeyboardModifiers m = {}) {
    QTest::mouseMove(window_of(widget), in_window(widget, at));
    QTest::mousePress(window_of(widget), button, m, in_window(widget, at));
  }
  void release(QWidget* widget, const QPointF& at, Qt::MouseButton button = Qt::LeftButton,
               Qt::KeyboardModifiers m = {}) {
    QTest::mouseRelease(window_of(widget), button, m, in_window(widget, at));
    QTest::qWait(20);
  }
  void move(QWidget* widget, const QPointF& at) {
    QTest::mouseMove(window_of(widget), in_window(widget, at));
    QTest::qWait(15);
  }
  void click(QWidget* widget, const QPointF& at, Qt::KeyboardModifiers m = {}) {
    press(widget, at, Qt::LeftButton, m);
    release(widget, at, Qt::LeftButton, m);
  }
  /// Scrolls to what lies outside the visible part of a panel, as a person would.
  static void bring_into_view(QWidget* widget) {
    for (QWidget* parent = widget->parentWidget(); parent != nullptr; parent = parent->parentWidget())
      if (auto* area = qobject_cast<QScrollArea*>(parent)) area->ensureWidgetVisible(widget, 0, 30);
    QTest::qWait(10);
  }
  void click(QWidget* widget, Qt::KeyboardModifiers m = {}) {
    REQUIRE(widget != nullptr);
    bring_into_view(widget);
    // A panel that was just filled may still move what it holds.
    for (QPoint was = widget->mapToGlobal(QPoint()), is = was + QPoint(1, 1); was != is; was = std::exchange(is, widget->mapToGlobal(QPoint()))) QTest::qWait(15);
    bring_into_view(widget);
    click(widget, QPointF(widget->width() / 2.0, widget->height() / 2.0), m);
  }
  void drag(QWidget* widget, const QPointF& from, const QPointF& to,
            Qt::MouseButton button = Qt::LeftButton) {
    press(widget, from, button);
    for (int k = 1; k <= 8; ++k) move(widget, from + (to - from) * (k / 8.0));
    release(widget, to, button);
  }
  void key(Qt::Key code, Qt::KeyboardModifiers m = {}) {
    // A window manager gives the focus back after a dialog; a bare X server does not.
    if (QApplication::activeModalWidget() == nullptr && !window.isActiveWindow()) {
      window.activateWindow();
      REQUIRE(QTest::qWaitForWindowActive(&window));
    }
    go_to_station_of(code, m);
    QTest::keyClick(window.windowHandle(), code, m);
    QTest::qWait(20);
  }
  /// A station's letters count only while it is up: where the key means nothing here, its station is gone to first.
  void go_to_station_of(Qt::Key code, Qt::KeyboardModifiers m) {
    const QKeySequence wanted(static_cast<int>(m) | code);
    const Station* other = nullptr;
    for (const Verb& verb : window.verbs().all()) {
      if (!verb.keys.contains(wanted)) continue;
      if (verb.action->shortcuts().contains(wanted)) return;
      // Other stations have the same letters; who means those of the recipe has gone to Combine before.
      if (other == nullptr && verb.group != QStringLiteral("Recipe")) other = &verb.station;
    }
    if (other == nullptr) return;
    const auto place = std::find(stations.begin(), stations.end(), *other) - stations.begin();
    QTest::keyClick(window.windowHandle(), static_cast<Qt::Key>(Qt::Key_1 + place), Qt::ControlModifier);
    QTest::qWait(10);
  }
  void type(QWidget* field, const QString& text) {
    click(field);
    QTest::keyClick(window_of(field), Qt::Key_A, Qt::ControlModifier);
    for (const QChar c : text) QTest::keyClick(window_of(field), c.toLatin1());
    QTest::keyClick(window_of(field), Qt::Key_Return);
    QTest::qWait(30);
  }

  /// Opens the closed cards of that title.
  void open_card(const QString& name) {
    std::vector<QPointer<QToolButton>> titles;
    for (QToolButton* title : window.findChildren<QToolButton*>())
      if (title->isVisible() && title->isCheckable() && !title->isChecked() && title->text() == name) titles.emplace_back(title);
    for (const auto& title : titles)
      if (title && title->isVisible()) click(title);
  }

  template <class T = QWidget>
  T* widget(const QString& name) {
    // Rebuilt panels keep their old widgets until the next turn of the event loop: take the visible one.
    QTest::qWait(5);
    for (T* found : window.findChildren<T*>(name))
      if (found->isVisible()) return found;
    return nullptr;
  }

  /// Once a dialog of this name (or a file dialog for "") is up, lets `act` deal with it.
  void answer(const QString& name, std::function<void(QDialog&)> act) {
    auto* timer = new QTimer(&window);
    timer->setInterval(30);
    QObject::connect(timer, &QTimer::timeout, &window, [timer, name, act] {
      auto* dialog = qobject_cast<QDialog*>(QApplication::activeModalWidget());
      if (dialog == nullptr || !dialog->isVisible()) return;
      if (name.isEmpty() ? qobject_cast<QFileDialog*>(dialog) == nullptr : dialog->objectName() != name)
        return;
      timer->stop();
      timer->deleteLater();
      QTest::qWait(50);
      act(*dialog);
    });
    timer->start();
  }
  /// @param look  at the dialog before it is answered
  void answer_file(const std::filesystem::path& path, const std::function<void(QDialog&)>& look = {}) {
    answer(QString(), [path, look](QDialog& dialog) {
      if (look) look(dialog);
      auto* line = dialog.findChild<QLineEdit*>(QStringLiteral("fileNameEdit"));
      REQUIRE(line != nullptr);
      // What the folder holds is proposed while typing, some time later: the return key may then be for the proposal.
      line->setCompleter(nullptr);
      line->selectAll();
      QTest::keyClicks(line, QString::fromStdString(path.string()));
      QTest::keyClick(line, Qt::Key_Return);
      // On a busy machine the key may come before the dialog has taken in the folder that was typed.
      for (int k = 0; k < 5 && QApplication::activeModalWidget() == &dialog; ++k) {
        QTest::qWait(500);
        if (QApplication::activeModalWidget() == &dialog) QTest::keyClick(line, Qt::Key_Return);
      }
    });
  }
  void answer_button(const QString& name, const QString& text) {
    answer(name, [text](QDialog& dialog) {
      for (QPushButton* button : dialog.findChildren<QPushButton*>())
        if (button->text().remove(QLatin1Char('&')) == text) return QTest::mouseClick(button, Qt::LeftButton);
      FAIL("no button " << text.toStdString());
    });
  }

  /// What the newest trouble or note above the bottom line says; nothing where none is listed.
  QString told() {
    const auto* text = widget<QLabel>(QStringLiteral("issue_text"));
    return text == nullptr ? QString() : text->text();
  }

  /// Pixel in the view of a point of the job.
  QPointF pixel(const Vec3& point) { return view().pixel_of(point); }
  /// A click on a point of the job in the view.
  void click_at(const Vec3& point, Qt::KeyboardModifiers m = {}) { click(&view(), pixel(point), m); }

  PartId named(const std::string& name) {
    for (const PartPtr& part : job().parts)
      if (part->name == name) return part->id;
    FAIL("no part named " << name);
    return 0;
  }
  double volume(PartId id) { return signed_volume(*session().result(id).evaluated->mesh); }
};

/// A box of 40 × 40 × 20 standing on the ground with a cylinder of 20 × 40 through its middle, the cylinder chosen.
inline void box_and_cylinder(Driver& d) {
  d.key(Qt::Key_B);
  d.settle();
  d.key(Qt::Key_C);
  d.settle();
  REQUIRE(d.job().parts.size() == 2);
}
const double box_volume = 40 * 40 * 20, pin_area = polygon_area(64, 10), drilled = box_volume - pin_area * 20;

/// The last step of a part, and its fields as they are in the job and in the card.
inline const Step& last_step(Driver& d, PartId id) {
  INFO("told: " << d.told().toStdString());
  REQUIRE_FALSE(d.job().at(id).recipe.empty());
  return d.job().at(id).recipe.back();
}
inline FieldValue field(Driver& d, PartId id, const char* key) {
  const Step& step = last_step(d, id);
  return step.fields[*field_place(step.kind->fields, key)];
}
inline double number(Driver& d, PartId id, const char* key) { return std::get<double>(field(d, id, key)); }
inline QString field_name(Driver& d, PartId id, const char* key) { return QStringLiteral("field_%1_%2").arg(last_step(d, id).id).arg(QLatin1String(key)); }
inline void type_in(Driver& d, PartId id, const char* key, double value) {
  auto* widget = d.widget<QWidget>(field_name(d, id, key));
  REQUIRE(widget != nullptr);
  d.type(widget, QString::number(value));
  d.settle();
}
/// Goes to a line of a list of choices by the arrow keys.
inline void choose_line(Driver& d, const QString& name, int line) {
  auto* box = d.widget<QComboBox>(name);
  REQUIRE(box != nullptr);
  box->setFocus();
  while (box->currentIndex() != line) QTest::keyClick(Driver::window_of(box), box->currentIndex() < line ? Qt::Key_Down : Qt::Key_Up);
  QTest::qWait(20);
}

}  // namespace anvil::test
