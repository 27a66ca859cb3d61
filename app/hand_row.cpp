// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/hand_row.h"

#include <QHBoxLayout>
#include <QMenu>

#include "app/stations/desk.h"

namespace anvil::app {

HandRow::HandRow(VerbBook& book, Chooser& chooser, QWidget* parent) : QWidget(parent), book_(book), chooser_(chooser) {
  setObjectName(QStringLiteral("hand_row"));
  setAttribute(Qt::WA_StyledBackground);
  setFixedHeight(34);
  setMinimumWidth(1);  // what is chosen never moves the columns
  auto* layout = new QHBoxLayout(this);
  layout->setContentsMargins(12, 0, 12, 0);
  layout->setSpacing(0);
  auto* head = new QLabel(tr("By hand"));
  head->setObjectName(QStringLiteral("faint"));
  layout->addWidget(head);
  layout->addSpacing(8);
  const QStringList shown{QStringLiteral("choose_vertices"), QStringLiteral("choose_edges"),    QStringLiteral("choose_faces"), QStringLiteral("choose_by_click"),
                          QStringLiteral("choose_by_box"),   QStringLiteral("choose_by_paint"), QStringLiteral("choose_by_lasso"), QStringLiteral("choose_through")};
  for (const char* verb : {"choose_vertices", "choose_edges", "choose_faces"}) layout->addWidget(button(verb, Qt::ToolButtonTextBesideIcon));
  layout->addSpacing(4);
  for (const char* verb : {"choose_by_click", "choose_by_box", "choose_by_paint", "choose_by_lasso"}) layout->addWidget(button(verb, Qt::ToolButtonIconOnly));
  layout->addSpacing(4);
  layout->addWidget(button("choose_through", Qt::ToolButtonIconOnly));
  layout->addSpacing(4);
  layout->addWidget(menu("choose_menu", tr("Choose ▾"), choose_group(), shown));
  layout->addWidget(menu("edit_menu", tr("Edit ▾"), edit_group(), {}));
  layout->addStretch();
  count_ = new QLabel;
  count_->setObjectName(QStringLiteral("chosen_count"));
  count_->setAccessibleName(tr("How much is chosen"));
  count_->setToolTip(count_->accessibleName());
  layout->addWidget(count_);
  connect(&chooser_, &Chooser::changed, this, &HandRow::refresh);
  refresh();
}

QToolButton* HandRow::button(const char* verb, Qt::ToolButtonStyle style) {
  auto* made = new QToolButton;
  made->setObjectName(QStringLiteral("hand"));
  made->setDefaultAction(book_.find(QLatin1String(verb)));
  made->setToolButtonStyle(style);
  made->setAccessibleName(made->defaultAction()->text());
  return made;
}

QToolButton* HandRow::menu(const char* name, const QString& text, const QString& group, const QStringList& without) {
  auto* made = new QToolButton;
  made->setObjectName(QStringLiteral("hand"));
  made->setText(text);
  made->setAccessibleName(group);
  made->setPopupMode(QToolButton::InstantPopup);
  auto* list = new QMenu(made);
  list->setObjectName(QLatin1String(name));
  for (const Verb& verb : book_.all())
    if (verb.group == group && !without.contains(verb.action->objectName())) list->addAction(verb.action);
  made->setMenu(list);
  return made;
}

void HandRow::refresh() {
  const std::size_t n = chooser_.chosen().size();
  count_->setText(chooser_.on() ? tr("%L1 %2").arg(n).arg(QLatin1String(name_of(chooser_.chosen().kind, n != 1))) : QString());
}

}  // namespace anvil::app
