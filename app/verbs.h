// SPDX-License-Identifier: GPL-3.0-or-later
// Every verb of the application, once: the row above the view, the finder, the key sheet and the tooltips
// all read this book.
#pragma once

#include <QAction>
#include <QObject>
#include <functional>
#include <vector>

namespace anvil::app {

enum class Station { stock, combine, shape, mend, recast, release, anywhere };
const char* label_of(Station station);
inline constexpr std::array stations = {Station::stock, Station::combine, Station::shape, Station::mend, Station::recast, Station::release};

struct Verb {
  QAction* action;
  Station station;
  QString group;  ///< heading in the key sheet
  QString help;   ///< one sentence
  QList<QKeySequence> keys;
};

class VerbBook : public QObject {
  Q_OBJECT

 public:
  explicit VerbBook(QWidget* window);

  /// Adds a verb. Its keys work anywhere in the window, but for the letters of a station's own verbs: those count only while
  /// that station is up, so that two stations may use the same.
  QAction* add(Station station, const QString& group, const QString& id, const QString& label,
               const QString& icon, const QList<QKeySequence>& keys, const QString& help,
               std::function<void()> run);
  /// The verb is offered only while `possible` holds; asked again by refresh().
  void allow(QAction* action, std::function<bool()> possible);
  void check(QAction* action, std::function<bool()> checked);
  void refresh();
  void set_station(Station station);
  Station station() const { return station_; }

  const std::vector<Verb>& all() const { return verbs_; }
  QAction* find(const QString& id) const;

 private:
  void give_keys(const Verb& verb) const;

  QWidget* window_;
  Station station_ = Station::stock;
  std::vector<Verb> verbs_;
  std::vector<std::function<void()>> refreshers_;
};

}  // namespace anvil::app
