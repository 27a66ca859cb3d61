// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/plan_panel.h"

#include <QPushButton>

#include "core/mend/mender.h"

namespace anvil::app {

PlanPanel::PlanPanel(Session& session, QWidget* parent) : QFrame(parent), session_(session) {
  setObjectName(QStringLiteral("plan"));
  setAccessibleName(tr("Mend plan"));
  layout_ = new QVBoxLayout(this);
  layout_->setContentsMargins(10, 8, 10, 10);
  layout_->setSpacing(4);
  hide();
  connect(&session_, &Session::mend_plan_made, this, [this](PartId part) {
    if (part == session_.recipe_owner()) refresh();
  });
}

void PlanPanel::refresh() {
  const PartId part = session_.recipe_owner();
  const PartResult result = part == 0 ? PartResult() : session_.result(part);
  const Session::MendPlan* plan = part == 0 ? nullptr : session_.mend_plan(part);
  if (plan != nullptr && plan->outcome == shown_) return;
  const bool unsound = result.report && !result.report->sound && result.evaluated && !result.evaluated->mesh->empty() && result.trouble() == nullptr &&
                       !result.evaluated->open_on_purpose;
  if (plan == nullptr && unsound && offered_for_ == result.report) return;
  shown_.reset();
  offered_for_.reset();
  ticks_.clear();
  clear_layout(layout_);
  if (plan != nullptr) {
    shown_ = plan->outcome;
    show_plan(part, *plan);
  } else if (unsound) {
    offered_for_ = result.report;
    offer(part);
  }
  setVisible(plan != nullptr || unsound);
}

void PlanPanel::offer(PartId part) {
  auto* text = new QLabel(tr("Mending can be tried out first: nothing is changed by the plan."));
  text->setWordWrap(true);
  layout_->addWidget(text);
  auto* make = new QPushButton(tr("Make a mend plan"));
  make->setObjectName(QStringLiteral("make_plan"));
  connect(make, &QPushButton::clicked, this, [this, part] { session_.make_mend_plan(part); });
  layout_->addWidget(make);
}

void PlanPanel::show_plan(PartId part, const Session::MendPlan& plan) {
  const Comparison& outcome = *plan.outcome;
  layout_->addWidget(section_label(tr("MEND PLAN")));
  for (const PlannedRepair& repair : outcome.repairs) {
    QString words = QString::fromStdString(repair.words);
    words[0] = words[0].toUpper();
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    auto* tick = new QCheckBox;
    tick->setObjectName(QStringLiteral("tick_") + QString::fromStdString(repair.key));
    tick->setAccessibleName(words);
    tick->setChecked(true);
    ticks_.emplace_back(tick, repair.key);
    auto* text = new QLabel(words);
    text->setWordWrap(true);
    text->setBuddy(tick);
    line->addWidget(tick, 0, Qt::AlignTop);
    line->addWidget(text, 1);
    if (!repair.places.empty()) {
      auto* show = link_button(tr("show"));
      show->setAccessibleName(tr("Show %1").arg(words));
      // Each press flies to the next of the places.
      connect(show, &QToolButton::clicked, this, [this, part, outcome = plan.outcome, &repair, next = std::size_t{0}]() mutable {
        Place place;
        place.position = repair.places[next % repair.places.size()];
        place.text = repair.words;
        ++next;
        emit session_.fly_requested(part, place);
      });
      line->addWidget(show, 0, Qt::AlignTop);
    }
    layout_->addLayout(line);
  }
  for (const std::string& why : outcome.left) {
    auto* left = new QLabel(tr("Left: %1").arg(QString::fromStdString(why)));
    left->setWordWrap(true);
    layout_->addWidget(left);
  }
  auto* then = new QLabel(outcome.repairs.empty() ? tr("Nothing here can be mended.") : tr("With all of it: %1").arg(QString::fromStdString(verdict(*outcome.after))));
  then->setObjectName(QStringLiteral("plan_outcome"));
  then->setWordWrap(true);
  then->setStyleSheet(QStringLiteral("font-weight: 600;"));
  layout_->addWidget(then);
  if (outcome.repairs.empty()) return;
  auto* buttons = new QHBoxLayout;
  buttons->setSpacing(6);
  auto* ticked = new QPushButton(tr("Mend ticked"));
  ticked->setObjectName(QStringLiteral("mend_ticked"));
  connect(ticked, &QPushButton::clicked, this, &PlanPanel::mend_ticked);
  auto* all = new QPushButton(tr("Mend all"));
  all->setObjectName(QStringLiteral("mend_all_planned"));
  all->setDefault(true);
  connect(all, &QPushButton::clicked, this, [this, part] { session_.mend_all({part}); });
  buttons->addWidget(ticked);
  buttons->addWidget(all);
  layout_->addLayout(buttons);
}

void PlanPanel::mend_ticked() {
  std::vector<std::string> keys;
  for (const auto& [tick, key] : ticks_)
    if (tick->isChecked()) keys.push_back(key);
  if (keys.empty()) return session_.say(tr("Nothing is ticked in the mend plan"));
  session_.mend({session_.recipe_owner()}, keys);
}

}  // namespace anvil::app
