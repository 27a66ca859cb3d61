// SPDX-License-Identifier: GPL-3.0-or-later
// Every change since the job was opened, the newest on top; a click goes back or forth to it.
#pragma once

#include <QDialog>
#include <QListWidget>

#include "app/session.h"

namespace anvil::app {

class ChangeList : public QDialog {
  Q_OBJECT

 public:
  ChangeList(Session& session, QWidget* parent);

 private:
  void refresh();

  Session& session_;
  QListWidget* list_;
  JobPtr shown_;  // the version that is marked
};

}  // namespace anvil::app
