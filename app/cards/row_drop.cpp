// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/row_drop.h"

#include <algorithm>

#include "app/cards/recipe_card.h"
#include "app/cards/tool_row.h"

namespace anvil::app {

RowDrop::RowDrop(QWidget* cards, UseId dragged, UseId home) : cards_(cards), dragged_(dragged), home_(home), mark_(new QFrame(cards)) {
  mark_->setObjectName(QStringLiteral("insertion_mark"));
  mark_->setAttribute(Qt::WA_TransparentForMouseEvents);
}

RowDrop::~RowDrop() {
  if (mark_) mark_->deleteLater();
}

void RowDrop::show_mark(const QRect& where, bool around) {
  mark_->setStyleSheet(around ? QStringLiteral("border: 2px solid #A1267E; border-radius: 4px;") : QStringLiteral("background: #A1267E;"));
  mark_->setGeometry(where);
  mark_->show();
  mark_->raise();
}

std::optional<edit::RowPlace> RowDrop::over(const QPoint& global) {
  constexpr int reach = 60;  // pixels, of a row
  ToolRow* nearest = nullptr;
  int best = reach;
  for (ToolRow* row : cards_->findChildren<ToolRow*>()) {
    if (!row->isVisible() || row->id().by_set) continue;
    const int y = row->mapFromGlobal(global).y();
    const int off = std::max({0, -y, y - row->height()});
    if (off < best) best = off, nearest = row;
  }
  if (nearest == nullptr) return into_card(global);
  const RowId& on = nearest->id();
  const double share = static_cast<double>(nearest->mapFromGlobal(global).y()) / nearest->height();
  const QPoint corner = nearest->mapTo(cards_, QPoint(0, 0));
  const bool into = on.tool == 0 && nearest->holds_rows() && share > 0.3 && (share < 0.7 || (on.use == home_ && home_ != 0)) && on.use != dragged_;
  if (into) {
    show_mark(QRect(corner, nearest->size()), true);
    return edit::RowPlace{on.step, on.use, edit::RowPlace::last};
  }
  const int left = ToolRow::left_of(on.depth);
  show_mark(QRect(corner.x() + left, corner.y() + (share < 0.5 ? -2 : nearest->height()), nearest->width() - left, 2), false);
  return edit::RowPlace{on.step, on.tray, on.at + (share < 0.5 ? 0 : 1)};
}

/// At the end of the card under the pointer, where its step takes tools.
std::optional<edit::RowPlace> RowDrop::into_card(const QPoint& global) {
  mark_->hide();
  if (dragged_ != 0) return std::nullopt;
  for (RecipeCard* card : cards_->findChildren<RecipeCard*>()) {
    if (!card->takes_tools() || !card->isVisible() || !card->rect().contains(card->mapFromGlobal(global))) continue;
    show_mark(QRect(card->mapTo(cards_, QPoint(0, 0)), card->size()), true);
    return edit::RowPlace{card->id().step, 0, edit::RowPlace::last};
  }
  return std::nullopt;
}

}  // namespace anvil::app
