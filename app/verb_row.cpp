// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/verb_row.h"

#include <QMenu>

#include "app/stations/desk.h"

namespace anvil::app {

VerbRow::VerbRow(VerbBook& book, QWidget* parent) : QWidget(parent), book_(book) {
  setObjectName(QStringLiteral("verb_row"));
  setAttribute(Qt::WA_StyledBackground);
  setFixedHeight(38);
  more_ = new QToolButton(this);
  more_->setObjectName(QStringLiteral("verb"));
  more_->setText(tr("More ▾"));
  more_->setAccessibleName(tr("More verbs"));
  more_->setPopupMode(QToolButton::InstantPopup);
  more_->setMenu(new QMenu(more_));
}

void VerbRow::set_station(Station station) {
  qDeleteAll(buttons_);
  buttons_.clear();
  for (const Verb& verb : book_.all()) {
    if (verb.station != station || verb.group == choose_group() || verb.group == edit_group()) continue;  // those have a row of their own
    auto* button = new QToolButton(this);
    button->setObjectName(QStringLiteral("verb"));
    button->setDefaultAction(verb.action);
    button->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    button->setAccessibleName(verb.action->text());
    buttons_.push_back(button);
  }
  arrange();
}

void VerbRow::resizeEvent(QResizeEvent*) {
  arrange();
}

void VerbRow::arrange() {
  int total = 8;
  for (const QToolButton* button : buttons_) total += button->sizeHint().width();
  const int more_width = more_->sizeHint().width();
  const bool overflow = total > width();
  int x = 6;
  more_->menu()->clear();
  for (QToolButton* button : buttons_) {
    const QSize size = button->sizeHint();
    const bool fits = x + size.width() + (overflow ? more_width : 0) <= width() && more_->menu()->isEmpty();
    button->setVisible(fits);
    if (fits) {
      button->setGeometry(x, 4, size.width(), 30);
      x += size.width();
    } else {
      more_->menu()->addAction(button->defaultAction());
    }
  }
  more_->setVisible(!more_->menu()->isEmpty());
  more_->setGeometry(x, 4, more_width, 30);
}

}  // namespace anvil::app
