// SPDX-License-Identifier: GPL-3.0-or-later
// Where what is dragged over the cards of a recipe would become a row, with a mark that shows it.
#pragma once

#include <QFrame>
#include <QPointer>

#include "job/edit.h"

namespace anvil::app {

class RowDrop {
 public:
  /// @param cards    the widget that holds the cards
  /// @param dragged  the row that is dragged, and the tray it comes from; 0: something that is no row yet
  explicit RowDrop(QWidget* cards, UseId dragged = 0, UseId home = 0);
  ~RowDrop();
  RowDrop(const RowDrop&) = delete;
  RowDrop& operator=(const RowDrop&) = delete;

  /// Moves the mark. @return where it would go; nothing where it cannot
  std::optional<edit::RowPlace> over(const QPoint& global);

 private:
  std::optional<edit::RowPlace> into_card(const QPoint& global);
  void show_mark(const QRect& where, bool around);

  QWidget* cards_;
  UseId dragged_, home_;
  QPointer<QFrame> mark_;
};

}  // namespace anvil::app
