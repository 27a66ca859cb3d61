// SPDX-License-Identifier: GPL-3.0-or-later
// A list of parts that can be dragged: to another place in it, or onto a card of the recipe, where they become tools. A press
// chooses nothing until it is let go, so that the recipe that a part is dragged onto stays there.
#pragma once

#include <QListWidget>

#include "job/job.h"

namespace anvil::app {

/// What is dragged: ids of parts, in decimal, separated by spaces.
inline constexpr const char* parts_mime = "application/x-clean-anvil-parts";

class PartList : public QListWidget {
  Q_OBJECT

 public:
  static constexpr int part_role = Qt::UserRole;

  explicit PartList(QWidget* parent = nullptr);
  /// The order can be changed here.
  void set_ordered(bool ordered) { ordered_ = ordered; }
  PartId part_at(int row) const { return item(row)->data(part_role).value<PartId>(); }

 signals:
  /// Parts were let go before that row.
  void moved(const std::vector<anvil::PartId>& parts, int row);

 protected:
  QItemSelectionModel::SelectionFlags selectionCommand(const QModelIndex& index, const QEvent* event) const override;
  void mousePressEvent(QMouseEvent* event) override;
  void startDrag(Qt::DropActions actions) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dragMoveEvent(QDragMoveEvent* event) override;
  void dropEvent(QDropEvent* event) override;

 private:
  int row_at(const QPoint& at) const;

  bool ordered_ = true;
  QModelIndex pressed_;
};

}  // namespace anvil::app
