// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/change_list.h"

#include <QLabel>
#include <QVBoxLayout>

#include "app/theme.h"

namespace anvil::app {

ChangeList::ChangeList(Session& session, QWidget* parent) : QDialog(parent), session_(session) {
  setObjectName(QStringLiteral("changes"));
  setWindowTitle(tr("Changes"));
  resize(320, 420);
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(10, 10, 10, 10);
  auto* hint = new QLabel(tr("Click a change to have the job as it was after it. Those above it can be done again."));
  hint->setObjectName(QStringLiteral("faint"));
  hint->setWordWrap(true);
  layout->addWidget(hint);
  list_ = new QListWidget;
  list_->setObjectName(QStringLiteral("change_list"));
  list_->setAccessibleName(tr("Changes"));
  list_->setUniformItemSizes(true);
  list_->setSpacing(2);
  layout->addWidget(list_);
  const auto go = [this](const QListWidgetItem* item) { session_.go_to_version(item->data(Qt::UserRole).value<std::size_t>()); };
  connect(list_, &QListWidget::itemClicked, this, go);
  connect(list_, &QListWidget::itemActivated, this, go);
  connect(&session_, &Session::job_changed, this, [this](bool live) {
    if (!live) refresh();
  });
  refresh();
}

void ChangeList::refresh() {
  const History& history = session_.history();
  if (shown_ == history.committed() && static_cast<std::size_t>(list_->count()) == history.size()) return;
  shown_ = history.committed();
  list_->clear();
  for (std::size_t place = history.size(); place-- > 0;) {
    QString label = place == 0 ? tr("The job as it was opened") : QString::fromStdString(history.label(place));
    label[0] = label[0].toUpper();
    auto* item = new QListWidgetItem(label);
    item->setData(Qt::UserRole, QVariant::fromValue(place));
    if (place > history.place()) item->setForeground(theme::faint_ink);
    list_->addItem(item);
    if (place == history.place()) {
      item->setIcon(theme::icon(QStringLiteral("here"), theme::selection));
      list_->setCurrentItem(item);
    }
  }
}

}  // namespace anvil::app
