// SPDX-License-Identifier: GPL-3.0-or-later
// The row of work by hand in the Mend station: which kind of element is chosen and how, what the choice can be turned into,
// what can be done with it, and how much is chosen.
#pragma once

#include <QLabel>
#include <QToolButton>
#include <QWidget>

#include "app/chooser.h"
#include "app/verbs.h"

namespace anvil::app {

class HandRow : public QWidget {
  Q_OBJECT

 public:
  HandRow(VerbBook& book, Chooser& chooser, QWidget* parent = nullptr);

 private:
  QToolButton* button(const char* verb, Qt::ToolButtonStyle style);
  QToolButton* menu(const char* name, const QString& text, const QString& group, const QStringList& without);
  void refresh();

  VerbBook& book_;
  Chooser& chooser_;
  QLabel* count_;
};

}  // namespace anvil::app
