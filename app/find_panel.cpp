// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/find_panel.h"

#include "core/modify/find_again.h"

namespace anvil::app {

FindPanel::FindPanel(Session& session, QWidget* parent) : QFrame(parent), session_(session) {
  setObjectName(QStringLiteral("find"));
  setAccessibleName(tr("What to look for"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(10, 8, 10, 10);
  layout->setSpacing(4);
  layout->addWidget(section_label(tr("LOOK FOR")));
  const Field within = length_field("find-within", "Within", 0, "Shorter edges are short; T-junctions and flat holes are off by no more. 0 is a millionth of the size. The verdict does not depend on it.", 0);
  tolerance_ = new NumberField(within, tr("Look within"));
  tolerance_->setObjectName(QStringLiteral("find_within"));
  tolerance_->setToolTip(QString::fromStdString(within.help));
  auto* line = new QHBoxLayout;
  auto* label = new QLabel(tr("Within"));
  label->setToolTip(tolerance_->toolTip());
  line->addWidget(label);
  line->addStretch();
  line->addWidget(tolerance_);
  layout->addLayout(line);
  connect(tolerance_, &NumberField::entered, this, [this](double value) {
    Finding::Wanted wanted = session_.finding().wanted();
    wanted.tolerance = value;
    look(std::move(wanted));
  });
  connect(tolerance_, &NumberField::refused, this, [this](const Issue& issue) { session_.complain(issue, session_.recipe_owner()); });
  only_ = new QCheckBox(tr("Only at the chosen faces"));
  only_->setObjectName(QStringLiteral("find_only"));
  connect(only_, &QCheckBox::clicked, this, &FindPanel::tick_only);
  layout->addWidget(only_, 0, Qt::AlignLeft);
  layout->addSpacing(4);
  for (const Family* family : family_table()) {
    auto* tick = new QCheckBox(QString::fromUtf8(family->label));
    tick->setObjectName(QStringLiteral("find_") + QLatin1String(family->key));
    families_.emplace_back(tick, family);
    connect(tick, &QCheckBox::clicked, this, [this, family](bool on) {
      Finding::Wanted wanted = session_.finding().wanted();
      std::erase(wanted.families, family);
      if (on) wanted.families.push_back(family);
      std::sort(wanted.families.begin(), wanted.families.end(), [](const Family* a, const Family* b) { return a->rank < b->rank; });
      look(std::move(wanted));
    });
    layout->addWidget(tick, 0, Qt::AlignLeft);
  }
  everything_ = new QPushButton(tr("As usual again"));
  everything_->setObjectName(QStringLiteral("find_everything"));
  everything_->setToolTip(tr("Look for what counts, within the usual distance, in the whole part."));
  connect(everything_, &QPushButton::clicked, this, [this] { session_.finding().look_for_everything(); });
  layout->addSpacing(4);
  layout->addWidget(everything_);
  connect(&session_.finding(), &Finding::changed, this, &FindPanel::refresh);
  connect(&session_.chooser(), &Chooser::changed, this, &FindPanel::refresh);
  connect(&session_, &Session::selection_changed, this, &FindPanel::refresh);
  refresh();
  hide();
}

void FindPanel::look(Finding::Wanted wanted) {
  if (session_.recipe_owner() != 0) return session_.finding().look(std::move(wanted));
  session_.say(tr("Choose a part to look at"));
  refresh();
}

void FindPanel::tick_only(bool on) {
  Finding::Wanted wanted = session_.finding().wanted();
  wanted.only = on ? session_.chooser().text() : std::string();
  look(std::move(wanted));
}

void FindPanel::refresh() {
  const Finding::Wanted wanted = session_.finding().wanted();
  tolerance_->show_value(wanted.tolerance);
  only_->setChecked(!wanted.only.empty());
  const bool any = session_.chooser().on() && !session_.chooser().chosen().empty();
  only_->setEnabled(any || !wanted.only.empty());
  only_->setToolTip(any || !wanted.only.empty() ? tr("Only what touches the faces that are chosen now.") : tr("Choose faces in the Mend station first."));
  for (const auto& [tick, family] : families_) tick->setChecked(std::find(wanted.families.begin(), wanted.families.end(), family) != wanted.families.end());
  everything_->setEnabled(session_.finding().narrowed());
}

}  // namespace anvil::app
