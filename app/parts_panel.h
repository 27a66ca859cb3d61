// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of the job, with the state of each; tools stand in the recipe of their part instead, but for a search and for sets,
// which list them too.
#pragma once

#include <QComboBox>
#include <QLineEdit>
#include <QMenu>
#include <QToolButton>

#include "app/part_list.h"
#include "app/session.h"

namespace anvil::app {

class PartsPanel : public QWidget {
  Q_OBJECT

 public:
  explicit PartsPanel(Session& session, QWidget* parent = nullptr);
  /// Starts editing the name of the chosen part.
  void rename_chosen();
  PartList* list() const { return list_; }
  void search() { search_->setFocus(), search_->selectAll(); }
  /// Keeps the chosen parts together as a set, and lists that.
  void make_set();

 signals:
  void menu_wanted(const QPoint& global);

 private:
  void rebuild();
  void refresh_sets();
  void fill_set_menu(QMenu& menu);
  bool lists(const Part& part) const;
  void refresh(PartId id);
  void refresh_states();
  void show_state(QListWidgetItem& item);
  void show_selection();

  Session& session_;
  QLineEdit* search_;
  QComboBox* sets_;
  QToolButton* set_menu_;
  PartList* list_;
  SetId set_ = 0;  // that is listed; 0: all parts
  bool updating_ = false;
};

}  // namespace anvil::app
