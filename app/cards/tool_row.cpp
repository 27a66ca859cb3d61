// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/tool_row.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QMouseEvent>
#include <algorithm>

#include "app/theme.h"

namespace anvil::app {
namespace {

constexpr int row_height = 27, indent = 14;

/// The widget that holds the cards of the recipe.
QWidget* all_cards(QWidget* row) {
  QWidget* found = row;
  for (QWidget* at = row; at != nullptr; at = at->parentWidget())
    if (at->objectName() == QLatin1String("recipe_cards")) found = at;
  return found;
}

}  // namespace

ToolRow::ToolRow(Session& session, const RowId& id, QWidget* parent) : QFrame(parent), session_(session), id_(id) {
  const bool is_tray = id.tool == 0;
  const QString key = is_tray ? QStringLiteral("tray_%1").arg(id.use) : QStringLiteral("tool_%1").arg(id.tool);
  setObjectName(key);
  setFixedHeight(row_height);
  setCursor(Qt::PointingHandCursor);
  setFocusPolicy(Qt::ClickFocus);
  auto* layout = new QHBoxLayout(this);
  layout->setContentsMargins(left_of(id.depth), 0, 4, 0);
  layout->setSpacing(5);
  glyph_ = new QLabel;
  name_ = new QLabel;
  name_->setMinimumWidth(20);
  note_ = new QLabel;
  note_->setObjectName(QStringLiteral("faint"));
  warning_ = new QLabel;
  warning_->setPixmap(theme::pixmap(QStringLiteral("unsound"), theme::defect, 15, devicePixelRatioF()));
  layout->addWidget(glyph_);
  layout->addWidget(name_, 1);
  layout->addWidget(note_);
  layout->addWidget(warning_);
  if (id.by_set) return;
  operation_ = new QToolButton;
  operation_->setObjectName(is_tray ? QStringLiteral("operation_tray_%1").arg(id.use) : QStringLiteral("operation_%1").arg(id.tool));
  operation_->setToolTip(is_tray ? tr("What all in this tray does to the part, as one tool") : tr("What this tool does to the part"));
  operation_->setPopupMode(QToolButton::InstantPopup);
  operation_->setStyleSheet(QStringLiteral("color: #6B665D;"));
  auto* menu = new QMenu(operation_);
  fill_operation_menu(session_, id_, *menu);
  operation_->setMenu(menu);
  on_ = new Switch(QString());
  on_->setObjectName(is_tray ? QStringLiteral("tray_on_%1").arg(id.use) : QStringLiteral("tool_on_%1").arg(id.tool));
  connect(on_, &QAbstractButton::clicked, this, [this](bool now) {
    change(now ? tr("switch the tool on") : tr("switch the tool off"), [now](ToolUse& use) { use.on = now; });
  });
  layout->addWidget(operation_);
  layout->addWidget(on_);
}

const ToolUse* ToolRow::row() const { return session_.job().find_use(id_.use).use; }

void ToolRow::change(const QString& label, const std::function<void(ToolUse&)>& how) { session_.commit(label, edit::change_use(session_.job(), id_.use, how)); }

/// The other steps that use the tool, by the names of their parts.
QString ToolRow::elsewhere() const {
  QStringList names;
  for (const Job::Use& use : session_.job().uses_of(id_.tool))
    if (use.step != id_.step) names << QString::fromStdString(session_.job().at(use.part).name);
  names.removeDuplicates();
  return names.join(QStringLiteral(", "));
}

void ToolRow::refresh(bool folded) {
  const ToolUse* use = row();
  if (use == nullptr) return;
  const bool is_tray = id_.tool == 0;
  const Job& job = session_.job();
  const QString name = QString::fromStdString(is_tray ? use->name : job.at(id_.tool).name);
  setAccessibleName(name);
  name_->setText(name);
  name_->setToolTip(name);
  set_style(*name_, QStringLiteral("%1%2").arg(use->on ? QString() : QStringLiteral("color: #6B665D;"), is_tray ? QStringLiteral("font-weight: 600;") : QString()));
  const auto& chosen = session_.selection();
  const bool is_chosen = !is_tray && std::find(chosen.begin(), chosen.end(), id_.tool) != chosen.end();
  set_style(*this, is_chosen ? QStringLiteral("QFrame#%1 { background: #EAD9E3; border-radius: 4px; }").arg(objectName()) : QString());
  const Operation operation = id_.by_set ? Operation::unite : use->operation;
  const QColor tint = use->on ? theme::operation_tint(operation) : QColor(0xB3, 0xAC, 0x9F);
  glyph_->setPixmap(theme::pixmap(is_tray ? folded ? QStringLiteral("tray_folded") : QStringLiteral("tray_open") : QString::fromLatin1(theme::operation_glyph(operation)), tint, 16,
                                  devicePixelRatioF()));
  QStringList notes;
  if (is_tray) {
    const std::size_t rows = job.rows_of(*use).size();
    notes << (use->set != 0 ? tr("set of %1").arg(rows) : QString::number(rows));
  } else {
    if (!use->is_live()) notes << tr("kept");
    if (const QString others = elsewhere(); !others.isEmpty()) {
      notes << tr("elsewhere too");
      note_->setToolTip(tr("Also a tool of: %1").arg(others));
    }
  }
  note_->setText(notes.join(QStringLiteral(" · ")));
  const PartResult r = session_.result(job.find_use(id_.use).part->id);
  const Issue* trouble = r.trouble();
  const bool blamed = !is_tray && trouble != nullptr && part_of_token(r.cast, trouble->subject) == id_.tool;
  warning_->setVisible(blamed);
  if (blamed) warning_->setToolTip(QString::fromStdString(session_.named(job.find_use(id_.use).part->id, *trouble).message()));
  if (operation_ == nullptr) return;
  operation_->setText(theme::operation_label(operation));
  // Only some steps ask what a tool does.
  operation_->setVisible(field_place(job.find_step(id_.step).step->kind->fields, "operation").has_value());
  on_->setAccessibleName(tr("%1 on or off").arg(name));
  on_->setToolTip(on_->accessibleName());
  on_->setChecked(use->on);
}

void ToolRow::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(window());  // the row may be made anew while it is up
  menu.setObjectName(QStringLiteral("row_menu"));
  fill_row_menu(session_, id_, menu);
  menu.exec(event->globalPos());
}

void ToolRow::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) pressed_at_ = event->globalPosition().toPoint();
}

void ToolRow::mouseMoveEvent(QMouseEvent* event) {
  if (!pressed_at_ || id_.by_set) return;
  const QPoint now = event->globalPosition().toPoint();
  if (!dragging_ && (now - *pressed_at_).manhattanLength() < QApplication::startDragDistance()) return;
  dragging_ = true;
  setFocus();
  if (!drop_) drop_ = std::make_unique<RowDrop>(all_cards(this), id_.use, id_.tray);
  target_ = drop_->over(now);
}

bool ToolRow::holds_rows() const {
  const ToolUse* use = row();
  return id_.tool == 0 && use != nullptr && use->set == 0;
}

int ToolRow::left_of(int depth) { return 4 + indent * depth; }

void ToolRow::end_drag() {
  dragging_ = false;
  pressed_at_.reset();
  target_.reset();
  drop_.reset();
}

bool ToolRow::event(QEvent* event) {
  // While dragging, Escape means the drag and no verb.
  if (event->type() == QEvent::ShortcutOverride && dragging_) {
    event->accept();
    return true;
  }
  return QFrame::event(event);
}

void ToolRow::keyPressEvent(QKeyEvent* event) {
  if (!dragging_ || event->key() != Qt::Key_Escape) return QFrame::keyPressEvent(event);
  end_drag();
  session_.say(tr("Left where it was"));
}

void ToolRow::mouseReleaseEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton || !pressed_at_) return;
  const auto target = dragging_ ? target_ : std::nullopt;
  const bool was_drag = dragging_;
  end_drag();
  if (target) {
    // With a row that is chosen all chosen ones of the step go along.
    std::vector<UseId> uses{id_.use};
    const auto& chosen = session_.selection();
    if (std::find(chosen.begin(), chosen.end(), id_.tool) != chosen.end())
      for (PartId part : chosen)
        for (const Job::Use& use : session_.job().uses_of(part))
          if (use.step == id_.step && use.id != id_.use && session_.job().find_use(use.id).use->tool == part) uses.push_back(use.id);
    session_.commit(tr("reorder tools"), edit::move_uses(session_.job(), uses, *target));
    return;
  }
  if (was_drag) return;
  if (id_.tool == 0) {
    emit fold_wanted(id_.use);
  } else if (event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier)) {
    session_.toggle_selected(id_.tool);
  } else {
    session_.select({id_.tool});
  }
}

}  // namespace anvil::app
