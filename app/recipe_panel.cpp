// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/recipe_panel.h"

#include <QDropEvent>
#include <QElapsedTimer>
#include <QMimeData>
#include <QScrollBar>
#include <QTimer>
#include <algorithm>

#include "app/part_list.h"
#include "app/remedies.h"
#include "app/template_dialog.h"

namespace anvil::app {

RecipePanel::RecipePanel(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(10, 10, 10, 6);
  layout->setSpacing(8);
  auto* head = new QHBoxLayout;
  head->setContentsMargins(6, 0, 6, 0);
  title_ = section_label(QString());
  time_ = new QLabel;
  time_->setObjectName(QStringLiteral("faint"));
  head->addWidget(title_);
  head->addStretch();
  whole_ = link_button(tr("show all of it"));
  whole_->setObjectName(QStringLiteral("look_at_all"));
  whole_->setToolTip(tr("The view shows the part as it is after the last step again"));
  connect(whole_, &QToolButton::clicked, this, [this] { session_.look_up_to(0); });
  head->addWidget(whole_);
  back_ = link_button(QString());
  back_->setObjectName(QStringLiteral("back_to_part"));
  connect(back_, &QToolButton::clicked, this, [this] { session_.open_own_recipe(false); });
  head->addWidget(back_);
  head->addWidget(time_);
  layout->addLayout(head);
  scroll_ = new QScrollArea;
  scroll_->setWidgetResizable(true);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* content = new QWidget;
  content->setObjectName(QStringLiteral("recipe_cards"));
  auto* outer = new QVBoxLayout(content);
  outer->setContentsMargins(0, 0, 4, 0);
  nothing_ = new QLabel(tr("Choose a part to see how it is made."));
  nothing_->setObjectName(QStringLiteral("faint"));
  nothing_->setContentsMargins(6, 0, 0, 0);
  outer->addWidget(nothing_);
  cards_layout_ = new QVBoxLayout;
  cards_layout_->setSpacing(8);
  outer->addLayout(cards_layout_);
  template_ = link_button(tr("+ From a template"));
  template_->setObjectName(QStringLiteral("from_template"));
  connect(template_, &QToolButton::clicked, this, [this] { TemplateDialog(session_, window()).exec(); });
  outer->addWidget(template_, 0, Qt::AlignLeft);
  outer->addStretch();
  content->setAcceptDrops(true);
  content->installEventFilter(this);
  scroll_->setWidget(content);
  layout->addWidget(scroll_);
  going_on_.setSingleShot(true);
  going_on_.setInterval(0);
  connect(&going_on_, &QTimer::timeout, this, &RecipePanel::go_on);
  connect(&session_, &Session::job_changed, this, &RecipePanel::refresh);
  connect(&session_, &Session::selection_changed, this, &RecipePanel::refresh);
  connect(&session_, &Session::results_changed, this, &RecipePanel::refresh);
  connect(&session_, &Session::standing_changed, this, &RecipePanel::refresh);
  connect(&session_, &Session::up_to_changed, this, &RecipePanel::refresh);
  // A step that is taken up shows its card, however many stand above it, until the user scrolls: cards grow when their
  // results come.
  connect(&session_, &Session::active_step_changed, this, [this] {
    reveal_ = session_.active_step();
    QTimer::singleShot(0, this, &RecipePanel::reveal);
  });
  connect(scroll_->verticalScrollBar(), &QScrollBar::rangeChanged, this, &RecipePanel::reveal);
  connect(scroll_->verticalScrollBar(), &QScrollBar::actionTriggered, this, [this] { reveal_ = 0; });
  refresh();
}

void RecipePanel::show_activity(const Evaluator::Activity& now) {
  for (RecipeCard* card : cards_)
    if (card != nullptr && card->id().step != 0) card->show_activity(card->id().step == now.step ? now.step_seconds : -1, now.progress);
}

/// Parts that are dragged here from their list become tools.
bool RecipePanel::eventFilter(QObject* watched, QEvent* event) {
  auto* content = static_cast<QWidget*>(watched);
  switch (event->type()) {
    case QEvent::DragEnter:
    case QEvent::DragMove: {
      auto* drag = static_cast<QDragMoveEvent*>(event);
      if (!drag->mimeData()->hasFormat(QLatin1String(parts_mime))) break;
      if (!drop_) drop_ = std::make_unique<RowDrop>(content);
      drag->setAccepted(drop_->over(content->mapToGlobal(drag->position().toPoint())).has_value() || event->type() == QEvent::DragEnter);
      return true;
    }
    case QEvent::DragLeave: drop_.reset(); break;
    case QEvent::Drop: {
      auto* drag = static_cast<QDropEvent*>(event);
      const auto to = drop_ ? drop_->over(content->mapToGlobal(drag->position().toPoint())) : std::nullopt;
      drop_.reset();
      if (!to) break;
      // They are not moved out of their list by it.
      drag->setDropAction(Qt::CopyAction);
      drag->accept();
      std::vector<PartId> parts;
      for (const QByteArray& id : drag->mimeData()->data(QLatin1String(parts_mime)).split(' '))
        if (const PartId part = id.toUInt(); session_.job().find(part) != nullptr && part != session_.recipe_owner()) parts.push_back(part);
      const Job::Found found = session_.job().find_step(to->step);
      if (!parts.empty() && found) take_parts(found.part->id, parts, *to);
      return true;
    }
    default: break;
  }
  return QWidget::eventFilter(watched, event);
}

void RecipePanel::take_parts(PartId part, const std::vector<PartId>& parts, const edit::RowPlace& to) {
  const Step& step = *session_.job().find_step(to.step).step;
  const auto operation = field_place(step.kind->fields, "operation");
  // What is dropped on a tray does together with the others there what the tray does.
  const Operation what = to.tray != 0 ? Operation::unite : operation ? *operation_named(std::get<std::string>(step.fields[*operation])) : Operation::difference;
  make_tools(session_, tr("add tools"), part, parts, what, to);
}

void RecipePanel::reveal() {
  if (reveal_ == 0) return;
  scroll_->widget()->layout()->activate();
  for (RecipeCard* card : cards_)
    if (card != nullptr && card->id().step == reveal_) scroll_->ensureWidgetVisible(card, 0, 10);
}

std::vector<CardId> RecipePanel::wanted() const {
  std::vector<CardId> ids;
  const PartId owner = session_.recipe_owner();
  const Part* part = session_.job().find(owner);
  if (part == nullptr) return ids;
  ids = {{CardId::of_source, owner, 0, part->source.index()}, {CardId::of_place, owner}};
  for (const Step& step : part->recipe) ids.push_back({CardId::of_step, owner, step.id});
  return ids;
}

void RecipePanel::arrange(const std::vector<CardId>& ids) {
  std::map<CardId, RecipeCard*> old;
  for (std::size_t k = 0; k < cards_.size(); ++k)
    if (cards_[k] != nullptr) old[ids_[k]] = cards_[k];
  ids_ = ids;
  cards_.assign(ids.size(), nullptr);
  for (std::size_t k = 0; k < ids.size(); ++k)
    if (const auto it = old.find(ids[k]); it != old.end()) {
      cards_[k] = it->second;
      old.erase(it);
    }
  for (const auto& [id, card] : old) {
    card->hide();
    cards_layout_->removeWidget(card);
    card->deleteLater();
  }
  int place = 0;
  for (RecipeCard* card : cards_) {
    if (card == nullptr) continue;
    if (cards_layout_->itemAt(place) == nullptr || cards_layout_->itemAt(place)->widget() != card) {
      cards_layout_->removeWidget(card);
      cards_layout_->insertWidget(place, card);
    }
    ++place;
  }
}

void RecipePanel::make(std::size_t k) {
  const CardId id = ids_[k];
  RecipeCard* card = cards_[k] = make_card(session_, id);
  if (const auto known = open_.find(id); known != open_.end() && !(id.step != 0 && id.step == session_.active_step())) card->set_open(known->second);
  connect(card, &Card::opened, this, [this, id](bool open) { open_[id] = open; });
  cards_layout_->insertWidget(static_cast<int>(std::count_if(cards_.begin(), cards_.begin() + static_cast<std::ptrdiff_t>(k), [](const RecipeCard* c) { return c != nullptr; })), card);
}

void RecipePanel::go_on() {
  // So many at once whatever it takes: most recipes have fewer.
  constexpr int made_at_once = 10, refreshed_at_once = 40, at_a_time = 30;  // milliseconds
  QElapsedTimer clock;
  clock.start();
  const auto last = std::find_if(ids_.begin(), ids_.end(), [&](const CardId& id) { return session_.up_to() != 0 && id.step == session_.up_to(); });
  const auto shown_to = static_cast<std::size_t>(last - ids_.begin());
  int made = 0, refreshed = 0;
  for (const bool in_sight : {true, false})
    for (std::size_t k = 0; k < ids_.size(); ++k) {
      if (!stale_[k] || (in_sight && (cards_[k] == nullptr || cards_[k]->visibleRegion().isEmpty()))) continue;
      if ((made >= made_at_once || refreshed >= refreshed_at_once) && clock.elapsed() > at_a_time) return going_on_.start();
      ++(cards_[k] == nullptr ? made : refreshed);
      if (cards_[k] == nullptr) make(k);
      cards_[k]->refresh();
      cards_[k]->set_faded(shown_to < k);
      stale_[k] = 0;
    }
}

void RecipePanel::refresh() {
  if (const std::vector<CardId> ids = wanted(); ids != ids_) arrange(ids);
  const Part* part = session_.job().find(session_.recipe_owner());
  nothing_->setVisible(part == nullptr);
  template_->setVisible(part != nullptr);
  title_->setText(part == nullptr ? tr("RECIPE") : tr("RECIPE OF %1").arg(QString::fromStdString(part->name).toUpper()));
  const PartResult r = session_.result(session_.recipe_owner());
  const double seconds = r.evaluated ? r.evaluated->seconds() : 0;
  time_->setText(seconds > 0 ? tr("%1 ms").arg(seconds * 1000, 0, 'f', seconds < 0.01 ? 1 : 0) : QString());
  whole_->setVisible(session_.up_to() != 0);
  back_->setVisible(session_.own_recipe_open());
  if (const auto use = session_.own_recipe_open() ? session_.job().use_of(session_.recipe_owner()) : std::nullopt)
    back_->setText(tr("back to %1").arg(QString::fromStdString(session_.job().at(use->part).name)));
  stale_.assign(ids_.size(), 1);
  go_on();
}

}  // namespace anvil::app
