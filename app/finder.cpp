// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/finder.h"

#include <QGridLayout>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QScrollArea>
#include <map>

#include "app/widgets.h"

namespace anvil::app {
namespace {

QString first_key(const Verb& verb) { return verb.keys.isEmpty() ? QString() : verb.keys.first().toString(QKeySequence::NativeText); }

}  // namespace

Finder::Finder(VerbBook& book, QWidget* parent) : QDialog(parent), book_(book) {
  setObjectName(QStringLiteral("finder"));
  setWindowTitle(tr("Find a verb"));
  resize(460, 380);
  auto* layout = new QVBoxLayout(this);
  line_ = new QLineEdit;
  line_->setAccessibleName(tr("Words of the verb"));
  line_->setPlaceholderText(tr("Type what you want to do"));
  line_->setClearButtonEnabled(true);
  line_->installEventFilter(this);
  list_ = new QListWidget;
  list_->setAccessibleName(tr("Verbs found"));
  layout->addWidget(line_);
  layout->addWidget(list_);
  connect(line_, &QLineEdit::textChanged, this, &Finder::filter);
  connect(line_, &QLineEdit::returnPressed, this, &Finder::run_chosen);
  connect(list_, &QListWidget::itemActivated, this, &Finder::run_chosen);
  connect(list_, &QListWidget::itemClicked, this, &Finder::run_chosen);
  book_.refresh();
  filter(QString());
}

void Finder::filter(const QString& words) {
  list_->clear();
  const QStringList wanted = words.split(QLatin1Char(' '), Qt::SkipEmptyParts);
  for (const Verb& verb : book_.all()) {
    const QString text = verb.action->text() + QLatin1Char(' ') + verb.help + QLatin1Char(' ') + verb.group;
    const bool match = std::all_of(wanted.begin(), wanted.end(), [&](const QString& word) {
      return text.contains(word, Qt::CaseInsensitive);
    });
    if (!match) continue;
    const QString key = first_key(verb);
    auto* item = new QListWidgetItem(
        verb.action->icon(),
        key.isEmpty() ? verb.action->text() : QStringLiteral("%1    %2").arg(verb.action->text(), key));
    item->setToolTip(verb.help);
    item->setData(Qt::UserRole, verb.action->objectName());
    if (!verb.action->isEnabled()) item->setFlags(Qt::NoItemFlags);
    list_->addItem(item);
  }
  // Verbs whose name starts with what was typed come first.
  for (int row = 0; row < list_->count(); ++row)
    if (!words.isEmpty() && list_->item(row)->text().startsWith(words, Qt::CaseInsensitive))
      list_->insertItem(0, list_->takeItem(row));
  for (int row = 0; row < list_->count(); ++row)
    if (list_->item(row)->flags() & Qt::ItemIsEnabled) {
      list_->setCurrentRow(row);
      break;
    }
}

void Finder::run_chosen() {
  const QListWidgetItem* item = list_->currentItem();
  if (item == nullptr) return;
  QAction* action = book_.find(item->data(Qt::UserRole).toString());
  accept();
  if (action != nullptr && action->isEnabled()) action->trigger();
}

bool Finder::eventFilter(QObject* watched, QEvent* event) {
  if (watched == line_ && event->type() == QEvent::KeyPress) {
    const int key = static_cast<QKeyEvent*>(event)->key();
    if (key == Qt::Key_Down || key == Qt::Key_Up) {
      list_->setCurrentRow(
          std::clamp(list_->currentRow() + (key == Qt::Key_Down ? 1 : -1), 0, list_->count() - 1));
      return true;
    }
  }
  return QDialog::eventFilter(watched, event);
}

KeySheet::KeySheet(VerbBook& book, QWidget* parent) : QDialog(parent) {
  setObjectName(QStringLiteral("key_sheet"));
  setWindowTitle(tr("Keys"));
  resize(860, 620);
  auto* layout = new QVBoxLayout(this);
  auto* scroll = new QScrollArea;
  scroll->setWidgetResizable(true);
  auto* content = new QWidget;
  auto* columns = new QHBoxLayout(content);
  std::vector<QString> order;
  std::map<QString, std::vector<const Verb*>> groups;
  for (const Verb& verb : book.all()) {
    if (verb.keys.isEmpty()) continue;
    if (!groups.contains(verb.group)) order.push_back(verb.group);
    groups[verb.group].push_back(&verb);
  }
  std::array<QVBoxLayout*, 3> column{};
  std::array<std::size_t, 3> filled{};
  for (auto& c : column) {
    c = new QVBoxLayout;
    c->setSpacing(2);
    columns->addLayout(c, 1);
  }
  for (const QString& group : order) {
    const auto k = static_cast<std::size_t>(std::min_element(filled.begin(), filled.end()) - filled.begin());
    filled[k] += groups[group].size() + 2;
    column[k]->addWidget(section_label(group.toUpper()));
    for (const Verb* verb : groups[group]) {
      auto* line = new QHBoxLayout;
      auto* key = new QLabel(first_key(*verb));
      key->setMinimumWidth(96);
      key->setStyleSheet(QStringLiteral("font-weight: 600;"));
      line->addWidget(key);
      line->addWidget(new QLabel(verb->action->text()), 1);
      column[k]->addLayout(line);
    }
    column[k]->addSpacing(12);
  }
  for (auto* c : column) c->addStretch();
  scroll->setWidget(content);
  layout->addWidget(scroll);
  auto* close = new QPushButton(tr("Close"));
  close->setDefault(true);
  connect(close, &QPushButton::clicked, this, &QDialog::accept);
  layout->addWidget(close, 0, Qt::AlignRight);
}

}  // namespace anvil::app
