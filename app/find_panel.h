// SPDX-License-Identifier: GPL-3.0-or-later
// What to look for, in the rail: families, a tolerance, only the chosen faces. Each change looks at once.
#pragma once

#include <QCheckBox>
#include <QPushButton>

#include "app/session.h"
#include "app/widgets.h"

namespace anvil::app {

class FindPanel : public QFrame {
  Q_OBJECT

 public:
  explicit FindPanel(Session& session, QWidget* parent = nullptr);
  void refresh();

 private:
  void look(Finding::Wanted wanted);
  void tick_only(bool on);

  Session& session_;
  NumberField* tolerance_;
  QCheckBox* only_;
  std::vector<std::pair<QCheckBox*, const Family*>> families_;
  QPushButton* everything_;
};

}  // namespace anvil::app
