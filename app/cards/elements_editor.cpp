// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/elements_editor.h"

#include <QHBoxLayout>

#include "app/widgets.h"
#include "job/edit.h"

namespace anvil::app {

ElementsEditor::ElementsEditor(Session& session, StepId step, std::size_t field, QWidget* parent)
    : QWidget(parent), session_(session), step_(step), field_(field) {
  auto* layout = new QHBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  auto* show = link_button(tr("show chosen"));
  show->setObjectName(QStringLiteral("show_chosen_%1").arg(step));
  show->setToolTip(tr("Choose in the view what this step was made for, as far as it is there now"));
  connect(show, &QToolButton::clicked, this, &ElementsEditor::show_elements);
  take_ = link_button(tr("take what is chosen"));
  take_->setObjectName(QStringLiteral("take_chosen_%1").arg(step));
  take_->setToolTip(tr("The step works on what is chosen in the view now"));
  connect(take_, &QToolButton::clicked, this, &ElementsEditor::take);
  layout->addWidget(show);
  layout->addWidget(take_);
  layout->addStretch();
  const auto refresh = [this] {
    if (const auto found = session_.job().find_step(step_)) take_->setEnabled(session_.chooser().fits(found.step->kind->fields[field_]));
  };
  connect(&session_.chooser(), &Chooser::changed, this, refresh);
  refresh();
}

void ElementsEditor::show_elements() {
  const auto found = session_.job().find_step(step_);
  if (!found) return;
  const auto missing = session_.chooser().choose_text(std::get<std::string>(found.step->fields[field_]));
  if (!missing) return session_.say(tr("The part has no result yet"));
  if (*missing > 0) session_.say(tr("%1 of them are not there after this step").arg(*missing));
}

void ElementsEditor::take() {
  const auto found = session_.job().find_step(step_);
  if (!found) return;
  const bool as_edges = found.step->kind->fields[field_].kind == FieldKind::edges;
  const std::string text = as_edges ? session_.chooser().text_as(ElementKind::edges) : session_.chooser().text();
  session_.commit(tr("choose elements anew"), edit::change_step(session_.job(), step_, [&](Step& s) { s.fields[field_] = text; }));
}

}  // namespace anvil::app
