// SPDX-License-Identifier: GPL-3.0-or-later
// A row of a step's card: a tool or a tray, with its glyph, name, what it does, on and off, and what is wrong with it.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QToolButton>
#include <memory>

#include "app/cards/row_drop.h"
#include "app/cards/row_menu.h"
#include "app/widgets.h"
#include "job/edit.h"

namespace anvil::app {

/// Clicked as a whole it chooses the tool, or folds the tray; dragged it goes to another place, also into a tray. Escape while
/// dragging leaves it where it was.
class ToolRow : public QFrame {
  Q_OBJECT

 public:
  ToolRow(Session& session, const RowId& id, QWidget* parent = nullptr);
  const RowId& id() const { return id_; }
  PartId tool() const { return id_.tool; }
  void refresh(bool folded);
  /// Is it a tray that holds rows of its own?
  bool holds_rows() const;
  /// Where the rows of a depth begin, from the left, pixels.
  static int left_of(int depth);

 signals:
  void fold_wanted(anvil::UseId tray);

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  bool event(QEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

 private:
  const ToolUse* row() const;
  void change(const QString& label, const std::function<void(ToolUse&)>& how);
  QString elsewhere() const;
  void end_drag();

  Session& session_;
  RowId id_;
  QLabel *glyph_, *name_, *warning_, *note_;
  QToolButton* operation_ = nullptr;
  Switch* on_ = nullptr;
  std::optional<QPoint> pressed_at_;
  bool dragging_ = false;
  std::unique_ptr<RowDrop> drop_;
  std::optional<edit::RowPlace> target_;
};

}  // namespace anvil::app
