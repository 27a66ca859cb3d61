// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of the job, with the state of each; tools stand in the recipe of their part instead.
#pragma once

#include <QListWidget>

#include "app/session.h"

namespace anvil::app {

class PartsPanel : public QWidget {
  Q_OBJECT

 public:
  explicit PartsPanel(Session& session, QWidget* parent = nullptr);
  /// Starts editing the name of the chosen part.
  void rename_chosen();
  QListWidget* list() const { return list_; }

 signals:
  void menu_wanted(const QPoint& global);

 private:
  void rebuild();
  void refresh(PartId id);
  void show_selection();

  Session& session_;
  QListWidget* list_;
  bool updating_ = false;
};

}  // namespace anvil::app
