// SPDX-License-Identifier: GPL-3.0-or-later
// The command finder (Ctrl+K) and the sheet of keys (F1), both made from the book of verbs.
#pragma once

#include <QDialog>

#include "app/verbs.h"

class QLineEdit;
class QListWidget;

namespace anvil::app {

class Finder : public QDialog {
  Q_OBJECT

 public:
  Finder(VerbBook& book, QWidget* parent);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void filter(const QString& words);
  void run_chosen();

  VerbBook& book_;
  QLineEdit* line_;
  QListWidget* list_;
};

class KeySheet : public QDialog {
  Q_OBJECT

 public:
  KeySheet(VerbBook& book, QWidget* parent);
};

}  // namespace anvil::app
