// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/part_list.h"

#include <QDrag>
#include <QDropEvent>
#include <QMimeData>

namespace anvil::app {

PartList::PartList(QWidget* parent) : QListWidget(parent) {
  setSelectionMode(QAbstractItemView::ExtendedSelection);
  setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
  setDragDropMode(QAbstractItemView::DragDrop);
  setDefaultDropAction(Qt::MoveAction);
}

QItemSelectionModel::SelectionFlags PartList::selectionCommand(const QModelIndex& index, const QEvent* event) const {
  if (event != nullptr && index.isValid()) {
    const bool is_mouse = event->type() == QEvent::MouseButtonPress || event->type() == QEvent::MouseButtonRelease || event->type() == QEvent::MouseMove;
    const auto* mouse = is_mouse ? static_cast<const QMouseEvent*>(event) : nullptr;
    if (mouse != nullptr && mouse->modifiers() == Qt::NoModifier) {
      if (event->type() == QEvent::MouseButtonRelease && mouse->button() == Qt::LeftButton && index == pressed_) return QItemSelectionModel::ClearAndSelect;
      if (event->type() == QEvent::MouseMove || mouse->button() == Qt::LeftButton) return QItemSelectionModel::NoUpdate;
    }
  }
  return QListWidget::selectionCommand(index, event);
}

void PartList::mousePressEvent(QMouseEvent* event) {
  pressed_ = indexAt(event->position().toPoint());
  QListWidget::mousePressEvent(event);
}

void PartList::startDrag(Qt::DropActions) {
  if (!pressed_.isValid()) return;
  QByteArray ids;
  const auto add = [&](const QModelIndex& index) { ids += (ids.isEmpty() ? "" : " ") + QByteArray::number(index.data(part_role).toUInt()); };
  // A chosen one takes the other chosen ones along.
  if (selectionModel()->isSelected(pressed_))
    for (int row = 0; row < count(); ++row) {
      if (item(row)->isSelected()) add(indexFromItem(item(row)));
    }
  else
    add(pressed_);
  auto* drag = new QDrag(this);
  auto* mime = new QMimeData;
  mime->setData(QLatin1String(parts_mime), ids);
  drag->setMimeData(mime);
  drag->exec(Qt::MoveAction | Qt::CopyAction, Qt::MoveAction);
  pressed_ = {};
}

void PartList::dragEnterEvent(QDragEnterEvent* event) {
  if (ordered_ && event->source() == this && event->mimeData()->hasFormat(QLatin1String(parts_mime))) event->acceptProposedAction();
}

void PartList::dragMoveEvent(QDragMoveEvent* event) {
  QListWidget::dragMoveEvent(event);  // which draws where it would go
  if (ordered_ && event->source() == this) event->acceptProposedAction();
}

int PartList::row_at(const QPoint& at) const {
  const QModelIndex index = indexAt(at);
  if (!index.isValid()) return count();
  return index.row() + (at.y() > visualRect(index).center().y() ? 1 : 0);
}

void PartList::dropEvent(QDropEvent* event) {
  if (!ordered_ || event->source() != this) return;
  std::vector<PartId> parts;
  for (const QByteArray& id : event->mimeData()->data(QLatin1String(parts_mime)).split(' ')) parts.push_back(id.toUInt());
  event->acceptProposedAction();
  emit moved(parts, row_at(event->position().toPoint()));
}

}  // namespace anvil::app
