// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/place_card.h"

#include <QGridLayout>
#include <cmath>

#include "job/edit.h"

namespace anvil::app {

PlaceCard::PlaceCard(Session& session, const CardId& id) : RecipeCard(session, id, tr("Place")) {
  frame_ = new QLabel;
  leaning_ = new QLabel(tr("leans: it was turned before its part was scaled unevenly"));
  for (QLabel* label : {frame_, leaning_}) {
    label->setObjectName(QStringLiteral("faint"));
    label->setWordWrap(true);
    body()->addWidget(label);
  }
  auto* grid = new QGridLayout;
  grid->setVerticalSpacing(3);
  grid->setHorizontalSpacing(4);
  static constexpr const char* columns[3] = {"right", "back", "up"};
  for (int k = 0; k < 3; ++k) {
    auto* head = new QLabel(QString::fromLatin1(columns[k]));
    head->setObjectName(QStringLiteral("faint"));
    grid->addWidget(head, 0, k + 1);
  }
  struct Row {
    Field field;
    const char* name;
    std::array<NumberField*, 3>* editors;
    std::function<void(int, double)> set;
  };
  Field position = point_field("position", "Position", Vec3::Zero(), "Where its origin stands.");
  const Row rows[] = {
      {position, "position", &position_,
       [this](int k, double value) { change(tr("move"), [&](Placement& p) { p.position[k] = value; }); }},
      {angle_field("angles", "Angles", 0, "Turned about right, then back, then up."), "angle", &angles_,
       [this](int k, double value) { change(tr("turn"), [&](Placement& p) { p.angles[k] = value; }); }},
      {length_field("size", "Size", 1, "How large it is along its own axes.", min_length, max_coordinate), "size", &size_, [this](int k, double value) {
         const double own = own_size(k);
         if (own > 0) change(tr("scale"), [&](Placement& p) { p.scale[k] = std::copysign(value / own, p.scale[k]); });
       }}};
  int line = 1;
  for (const Row& row : rows) {
    grid->addWidget(new QLabel(QString::fromStdString(row.field.label)), line, 0);
    for (int k = 0; k < 3; ++k) {
      auto* editor = new NumberField(row.field, tr("%1 %2").arg(QString::fromStdString(row.field.label), QLatin1String(columns[k])));
      editor->setObjectName(QStringLiteral("%1_%2_%3").arg(QLatin1String(row.name)).arg(id.part).arg(k));
      connect(editor, &NumberField::entered, this, [set = row.set, k](double value) { set(k, value); });
      connect(editor, &NumberField::refused, this, [this](const Issue& issue) { session_.complain(issue, id_.part); });
      grid->addWidget(editor, line, k + 1);
      (*row.editors)[static_cast<std::size_t>(k)] = editor;
    }
    ++line;
  }
  body()->addLayout(grid);
}

double PlaceCard::own_size(int axis) const {
  const PartResult r = session_.result(id_.part);
  return r.evaluated && r.evaluated->drawable ? r.evaluated->drawable->box.size()[axis] : 0.0;
}

void PlaceCard::change(const QString& label, const std::function<void(Placement&)>& how) {
  Placement placement = part().placement;
  how(placement);
  if (auto issue = edit::check_placement(placement)) {
    issue->subject = part().name;
    session_.complain(*issue, id_.part);
    return refresh();
  }
  session_.commit(label, edit::change_unlocked(session_.job(), id_.part, [&](Part& p) { p.placement = placement; }));
  refresh();
}

void PlaceCard::refresh() {
  const Part& now = part();
  auto number = [](double value) { return QString::number(value, 'g', 6); };
  set_summary(QStringLiteral("%1, %2, %3").arg(number(now.placement.position.x()), number(now.placement.position.y()),
                                               number(now.placement.position.z())));
  for (int k = 0; k < 3; ++k) {
    const auto i = static_cast<std::size_t>(k);
    position_[i]->show_value(now.placement.position[k]);
    angles_[i]->show_value(now.placement.angles[k]);
    size_[i]->show_value(own_size(k) * std::abs(now.placement.scale[k]));
  }
  const Part* frame = now.rides_on ? session_.job().find(*now.rides_on) : nullptr;
  frame_->setVisible(frame != nullptr);
  if (frame != nullptr) frame_->setText(tr("measured from %1, on which it rides").arg(QString::fromStdString(frame->name)));
  leaning_->setVisible(now.placement.shear != Vec3::Zero());
}

}  // namespace anvil::app
