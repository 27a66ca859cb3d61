// SPDX-License-Identifier: GPL-3.0-or-later
// The recipe of the chosen part as a column of cards: source, place, steps with their tools.
#pragma once

#include <QScrollArea>
#include <map>

#include "app/session.h"
#include "app/widgets.h"

namespace anvil::app {

class RecipePanel : public QWidget {
  Q_OBJECT

 public:
  explicit RecipePanel(Session& session, QWidget* parent = nullptr);

 private:
  /// Brings the cards up to date: anew when their structure changed, else only the values.
  void refresh();
  void rebuild();
  QString structure() const;
  void add_source(QVBoxLayout* into, PartId id);
  void add_place(QVBoxLayout* into, PartId id);
  void add_combine(QVBoxLayout* into, PartId owner, std::size_t step);
  QWidget* tool_row(PartId owner, std::size_t step, std::size_t place);
  NumberField* field(QGridLayout* grid, int row, int column, const QString& label, const QString& name,
                     std::function<double()> get, std::function<void(double)> set, double least, double most,
                     bool whole, const QString& unit);
  void change(const QString& label, PartId id, const std::function<void(Part&)>& how);

  Session& session_;
  QLabel *title_, *time_;
  QVBoxLayout* cards_;
  QScrollArea* scroll_;
  QString built_;
  std::vector<std::function<void()>> updates_;  ///< put current values into the fields
  std::map<QString, bool> open_;                ///< which kinds of card are open
};

}  // namespace anvil::app
