// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/source_card.h"

#include "job/edit.h"

namespace anvil::app {

SourceCard::SourceCard(Session& session, const CardId& id) : RecipeCard(session, id, QString()) {
  set_open(true);
  if (const auto* primitive = std::get_if<Primitive>(&part().source)) {
    set_title(QString::fromStdString(primitive->kind->label));
    rows_ = new FieldRows(primitive->kind->fields, QStringLiteral("dimension_%1_").arg(id.part),
                          [this](std::size_t field, const FieldValue& value) { set(field, value); });
    connect(rows_, &FieldRows::refused, this, [this](const Issue& issue) { session_.complain(issue, id_.part); });
    body()->addWidget(rows_);
    return;
  }
  words_ = new QLabel;
  words_->setObjectName(QStringLiteral("faint"));
  words_->setWordWrap(true);
  body()->addWidget(words_);
  act_ = link_button(QString());
  act_->setObjectName(QStringLiteral("source_act"));
  connect(act_, &QToolButton::clicked, this, &SourceCard::act);
  body()->addWidget(act_, 0, Qt::AlignLeft);
}

/// Follows or keeps another part's result; brings a forged part's recipe back.
void SourceCard::act() {
  if (const auto* from = std::get_if<PartSource>(&part().source)) {
    const bool keep = from->kept == nullptr;
    const auto kept = keep ? session_.snapshot_of(from->part) : nullptr;
    if (keep && kept == nullptr) return session_.say(tr("What it follows has no result that could be kept"));
    session_.commit(keep ? tr("keep the source as it is") : tr("let the source follow its part"), edit::keep_source(session_.job(), id_.part, kept));
  } else if (std::holds_alternative<ForgedSource>(part().source)) {
    std::size_t left_out = 0;
    if (!session_.commit(tr("bring the recipe back"), edit::unforge(session_.job(), id_.part, &left_out))) return;
    if (left_out > 0) session_.say(tr("%1 of its tools are not there any more and were left out").arg(left_out));
  }
}

void SourceCard::set(std::size_t field, const FieldValue& value) {
  Primitive changed = std::get<Primitive>(part().source);
  changed.values[field] = value;
  if (const auto issue = check_dimensions(changed)) {
    session_.complain(*issue, id_.part);
    return refresh();
  }
  const Field& what = changed.kind->fields[field];
  session_.commit(tr("set %1 to %2").arg(QString::fromStdString(what.label).toLower(), QString::fromStdString(in_words(what, value))),
                  edit::change_unlocked(session_.job(), id_.part, [&](Part& p) { p.source = changed; }));
  refresh();
}

void SourceCard::refresh() {
  if (const auto* primitive = std::get_if<Primitive>(&part().source); primitive != nullptr && rows_ != nullptr) {
    rows_->show_values(primitive->values);
    set_summary(QString::fromStdString(primitive->summary()));
    return;
  }
  act_->hide();
  if (const auto* imported = std::get_if<ImportedSource>(&part().source)) {
    const bool is_cloud = imported->mesh->cloud;
    set_title(is_cloud ? tr("Imported points") : tr("Imported mesh"));
    words_->setText(!is_cloud                         ? tr("from %1").arg(QString::fromStdString(imported->file))
                    : imported->mesh->normals.empty() ? tr("from %1, without normals").arg(QString::fromStdString(imported->file))
                                                      : tr("from %1, with normals").arg(QString::fromStdString(imported->file)));
    set_summary(is_cloud ? tr("%L1 points").arg(imported->mesh->positions.size()) : tr("%L1 polygons").arg(imported->mesh->face_count()));
  } else if (const auto* forged = std::get_if<ForgedSource>(&part().source)) {
    set_title(tr("Forged"));
    set_summary(QStringLiteral("%L1 polygons").arg(forged->mesh->face_count()));
    QStringList steps;
    for (const Step& step : forged->before->recipe) steps << QString::fromStdString(step.shown_name());
    words_->setText(steps.isEmpty() ? tr("its source as it was") : tr("made before by: %1").arg(steps.join(QStringLiteral(", "))));
    act_->setText(tr("bring the recipe back"));
    act_->show();
  } else {
    const auto& from = std::get<PartSource>(part().source);
    const Part* other = session_.job().find(from.part);
    const QString name = other == nullptr ? tr("a deleted part") : QString::fromStdString(other->name);
    set_title(tr("From another part"));
    set_summary(from.kept == nullptr ? tr("live") : tr("kept"));
    words_->setText(from.kept == nullptr ? tr("what %1 comes to").arg(name) : tr("%1 as it was").arg(name));
    act_->setText(from.kept == nullptr ? tr("keep as it is now") : tr("follow it again"));
    act_->setVisible(from.kept == nullptr || other != nullptr);
  }
}

}  // namespace anvil::app
