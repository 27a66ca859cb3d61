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
  set_title(tr("Imported mesh"));
  auto* file = new QLabel(tr("from %1").arg(QString::fromStdString(std::get<ImportedSource>(part().source).file)));
  file->setObjectName(QStringLiteral("faint"));
  body()->addWidget(file);
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
  } else if (const auto* imported = std::get_if<ImportedSource>(&part().source)) {
    set_summary(QStringLiteral("%L1 polygons").arg(imported->mesh->face_count()));
  }
}

}  // namespace anvil::app
