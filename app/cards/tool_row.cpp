// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/tool_row.h"

#include <QMenu>
#include <QMouseEvent>
#include <algorithm>

#include "app/theme.h"
#include "job/edit.h"

namespace anvil::app {

ToolRow::ToolRow(Session& session, StepId step, PartId tool, QWidget* parent) : QFrame(parent), session_(session), step_(step), tool_(tool) {
  setObjectName(QStringLiteral("tool_%1").arg(tool));
  setFixedHeight(27);
  setCursor(Qt::PointingHandCursor);
  auto* layout = new QHBoxLayout(this);
  layout->setContentsMargins(4, 0, 4, 0);
  glyph_ = new QLabel;
  name_ = new QLabel;
  warning_ = new QLabel;
  warning_->setPixmap(theme::pixmap(QStringLiteral("unsound"), theme::defect, 15, devicePixelRatioF()));
  operation_ = new QToolButton;
  operation_->setObjectName(QStringLiteral("operation_%1").arg(tool));
  operation_->setToolTip(tr("What this tool does to the part"));
  operation_->setPopupMode(QToolButton::InstantPopup);
  operation_->setStyleSheet(QStringLiteral("color: #6B665D;"));
  auto* menu = new QMenu(operation_);
  for (Operation o : all_operations)
    menu->addAction(theme::icon(QString::fromLatin1(theme::operation_glyph(o)), theme::operation_tint(o)), theme::operation_label(o), this,
                    [this, o] { change(tr("change the operation"), [o](ToolUse& use) { use.operation = o; }); });
  operation_->setMenu(menu);
  on_ = new Switch(QString());
  on_->setObjectName(QStringLiteral("tool_on_%1").arg(tool));
  connect(on_, &QAbstractButton::clicked, this, [this](bool now) {
    change(now ? tr("switch the tool on") : tr("switch the tool off"), [now](ToolUse& use) { use.on = now; });
  });
  layout->addWidget(glyph_);
  layout->addWidget(name_, 1);
  layout->addWidget(warning_);
  layout->addWidget(operation_);
  layout->addWidget(on_);
}

void ToolRow::change(const QString& label, const std::function<void(ToolUse&)>& how) {
  session_.commit(label, edit::change_use(session_.job(), tool_, how));
  refresh();
}

void ToolRow::refresh() {
  const auto use = session_.job().use_of(tool_);
  if (!use) return;
  const QString name = QString::fromStdString(session_.job().at(tool_).name);
  setAccessibleName(name);
  name_->setText(name);
  name_->setStyleSheet(use->on ? QString() : QStringLiteral("color: #6B665D;"));
  const auto& chosen = session_.selection();
  const bool is_chosen = std::find(chosen.begin(), chosen.end(), tool_) != chosen.end();
  setStyleSheet(is_chosen ? QStringLiteral("QFrame#%1 { background: #EAD9E3; border-radius: 4px; }").arg(objectName()) : QString());
  const QColor tint = use->on ? theme::operation_tint(use->operation) : QColor(0xB3, 0xAC, 0x9F);
  glyph_->setPixmap(theme::pixmap(QString::fromLatin1(theme::operation_glyph(use->operation)), tint, 16, devicePixelRatioF()));
  operation_->setText(theme::operation_label(use->operation));
  // Only some steps ask what a tool does.
  operation_->setVisible(field_place(session_.job().find_step(step_).step->kind->fields, "operation").has_value());
  on_->setAccessibleName(tr("%1 on or off").arg(name));
  on_->setToolTip(on_->accessibleName());
  on_->setChecked(use->on);
  const PartResult r = session_.result(use->part);
  const Issue* trouble = r.trouble();
  const bool blamed = trouble != nullptr && part_of_token(r.cast, trouble->subject) == tool_;
  warning_->setVisible(blamed);
  if (blamed) warning_->setToolTip(QString::fromStdString(session_.named(use->part, *trouble).message()));
}

void ToolRow::mousePressEvent(QMouseEvent* event) { pressed_at_ = event->position().y(); }

void ToolRow::mouseReleaseEvent(QMouseEvent* event) {
  const int rows = qRound((event->position().y() - pressed_at_) / std::max(1, height()));
  if (rows == 0) {
    if (event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier))
      session_.toggle_selected(tool_);
    else
      session_.select({tool_});
    return;
  }
  const auto use = session_.job().use_of(tool_);
  if (!use) return;
  const auto last = static_cast<int>(session_.job().find_step(step_).step->tools.size()) - 1;
  const int to = std::clamp(static_cast<int>(use->tool_place) + rows, 0, last);
  session_.commit(tr("reorder tools"), edit::move_tool(session_.job(), step_, use->tool_place, static_cast<std::size_t>(to)));
}

}  // namespace anvil::app
