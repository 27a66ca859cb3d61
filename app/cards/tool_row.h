// SPDX-License-Identifier: GPL-3.0-or-later
// A tool inside its step's card: glyph, name, what it does, on and off, and what is wrong with it.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QToolButton>

#include "app/session.h"
#include "app/widgets.h"

namespace anvil::app {

/// Clicked as a whole it chooses the tool; dragged onto another it changes the order.
class ToolRow : public QFrame {
  Q_OBJECT

 public:
  ToolRow(Session& session, StepId step, PartId tool, QWidget* parent = nullptr);
  PartId tool() const { return tool_; }
  void refresh();

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;

 private:
  void change(const QString& label, const std::function<void(ToolUse&)>& how);

  Session& session_;
  StepId step_;
  PartId tool_;
  QLabel *glyph_, *name_, *warning_;
  QToolButton* operation_;
  Switch* on_;
  double pressed_at_ = 0;
};

}  // namespace anvil::app
