// SPDX-License-Identifier: GPL-3.0-or-later
// The verbs of the station, as words with a glyph in one row; what does not fit goes into a menu at its end.
#pragma once

#include <QToolButton>
#include <QWidget>

#include "app/verbs.h"

namespace anvil::app {

class VerbRow : public QWidget {
  Q_OBJECT

 public:
  explicit VerbRow(VerbBook& book, QWidget* parent = nullptr);
  void set_station(Station station);

 protected:
  void resizeEvent(QResizeEvent* event) override;

 private:
  void arrange();

  VerbBook& book_;
  std::vector<QToolButton*> buttons_;
  QToolButton* more_;
};

}  // namespace anvil::app
