// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/verbs.h"

#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPointer>
#include <QWidget>

#include "app/theme.h"

namespace anvil::app {

const char* label_of(Station station) {
  switch (station) {
    case Station::stock:
      return "Stock";
    case Station::combine:
      return "Combine";
    case Station::shape:
      return "Shape";
    case Station::mend:
      return "Mend";
    case Station::recast:
      return "Recast";
    case Station::release:
      return "Release";
    case Station::anywhere:
      return "";
  }
  return "";
}

namespace {

/// What is being typed into a field is taken as if the field had been left, so that no verb works on what was there before.
void take_what_is_typed(const QWidget* window) {
  const QPointer<QWidget> typing = window->focusWidget();
  if (qobject_cast<QLineEdit*>(typing) == nullptr && qobject_cast<QPlainTextEdit*>(typing) == nullptr) return;
  typing->clearFocus();
  if (qobject_cast<QPlainTextEdit*>(typing) != nullptr) typing->setFocus();  // where people write they may go on
}

/// A letter or a sign, with Shift or without.
bool is_letter(const QKeySequence& key) {
  return key.count() == 1 && (key[0].keyboardModifiers() & ~Qt::ShiftModifier) == Qt::NoModifier && key[0].key() < Qt::Key_Escape;
}

}  // namespace

VerbBook::VerbBook(QWidget* window) : QObject(window), window_(window) {}

QAction* VerbBook::add(Station station, const QString& group, const QString& id, const QString& label,
                       const QString& icon, const QList<QKeySequence>& keys, const QString& help,
                       std::function<void()> run) {
  auto* action = new QAction(label, window_);
  action->setObjectName(id);
  if (!icon.isEmpty()) action->setIcon(theme::icon(icon));
  QList<QKeySequence> real;
  for (const QKeySequence& key : keys)
    if (!key.isEmpty()) real << key;
  action->setShortcutContext(Qt::WindowShortcut);
  const QString key = real.isEmpty()
                          ? QString()
                          : QStringLiteral("  %1").arg(real.first().toString(QKeySequence::NativeText));
  action->setToolTip(QStringLiteral("%1%2\n%3").arg(label, key, help));
  connect(action, &QAction::triggered, this, [this, run = std::move(run)] {
    take_what_is_typed(window_);
    run();
    refresh();
  });
  window_->addAction(action);
  verbs_.push_back({action, station, group, help, real});
  give_keys(verbs_.back());
  return action;
}

void VerbBook::give_keys(const Verb& verb) const {
  QList<QKeySequence> keys;
  for (const QKeySequence& key : verb.keys)
    if (verb.station == Station::anywhere || verb.station == station_ || !is_letter(key)) keys << key;
  verb.action->setShortcuts(keys);
}

void VerbBook::set_station(Station station) {
  station_ = station;
  for (const Verb& verb : verbs_) give_keys(verb);
}

void VerbBook::allow(QAction* action, std::function<bool()> possible) {
  refreshers_.push_back([action, possible = std::move(possible)] { action->setEnabled(possible()); });
}

void VerbBook::check(QAction* action, std::function<bool()> checked) {
  action->setCheckable(true);
  refreshers_.push_back([action, checked = std::move(checked)] { action->setChecked(checked()); });
}

void VerbBook::refresh() {
  for (const auto& refresher : refreshers_) refresher();
}

QAction* VerbBook::find(const QString& id) const {
  for (const Verb& verb : verbs_)
    if (verb.action->objectName() == id) return verb.action;
  return nullptr;
}

}  // namespace anvil::app
