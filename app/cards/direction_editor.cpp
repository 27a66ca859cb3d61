// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/direction_editor.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QPointer>
#include <algorithm>

#include "app/widgets.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// The edge of a part nearest to a point, as a direction in the job's space; zero where it has none.
Vec3 edge_at(const Session& session, const PickedPoint& picked) {
  const PartResult result = session.result(picked.part);
  if (session.job().find(picked.part) == nullptr || !result.evaluated || !result.evaluated->mesh) return Vec3::Zero();
  const Mesh& mesh = *result.evaluated->mesh;
  const Affine world = session.job().world_of(picked.part);
  const Vec3 p = world.inverse() * picked.point;
  Vec3 best = Vec3::Zero();
  double nearest = std::numeric_limits<double>::infinity();
  for (Index f = 0; f < mesh.face_count(); ++f)
    for (Index c = mesh.face_offsets[f]; c < mesh.face_offsets[f + 1]; ++c) {
      const Vec3 &a = mesh.positions[mesh.corners[c]], &b = mesh.positions[mesh.corners[next_corner(mesh, f, c)]];
      const Vec3 along = b - a;
      if (along.squaredNorm() == 0) continue;
      const double far = (a + std::clamp((p - a).dot(along) / along.squaredNorm(), 0.0, 1.0) * along - p).squaredNorm();
      if (far < nearest) nearest = far, best = along;
    }
  return world.linear() * best;
}

}  // namespace

DirectionEditor::DirectionEditor(Session& session, StepId step, std::size_t field, QWidget* parent) : QWidget(parent), session_(session), step_(step), field_(field) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 2, 0, 2);
  row->setSpacing(0);
  const auto of = session.job().find_step(step);
  const QString whose = of ? tr(of.step->kind->fields[field].label.c_str()) : QString();
  const auto add = [&](const QString& text, const char* name, const QString& tip) {
    QToolButton* button = link_button(text);
    button->setObjectName(QLatin1String(name));
    button->setToolTip(QStringLiteral("%1: %2").arg(whose, tip));
    button->setAccessibleName(QStringLiteral("%1: %2").arg(whose, text));
    row->addWidget(button);
    return button;
  };
  const auto picks = [&](QToolButton* button, int points, const QString& hint, const QString& label, bool keep_side, std::function<Vec3(const Session&, const std::vector<PickedPoint>&)> direction) {
    connect(button, &QToolButton::clicked, this, [this, points, hint, label, keep_side, direction] {
      emit session_.pick_requested(points, hint, [self = QPointer(this), label, keep_side, direction](const std::vector<PickedPoint>& picked) {
        if (!self) return;
        const Vec3 way = direction(self->session_, picked);
        if (way.norm() == 0) return self->session_.complain({"there is no direction in what was clicked", "", {}, "click two points that are apart, or an edge of a part"});
        self->set_direction(label, way, keep_side);
      });
    });
  };
  auto* axes = add(tr("axis ▾"), "direction_axis", tr("along an axis of the job"));
  auto* menu = new QMenu(axes);
  static constexpr const char* names[6] = {"right", "left", "back", "front", "up", "down"};
  for (int k = 0; k < 6; ++k) menu->addAction(tr(names[k]), this, [this, k] { set_direction(tr("direction along an axis"), (k % 2 == 0 ? 1 : -1) * Vec3::Unit(k / 2)); });
  axes->setMenu(menu);
  axes->setPopupMode(QToolButton::InstantPopup);
  picks(add(tr("edge"), "direction_edge", tr("along an edge that you click")), 1, tr("Click the edge that it runs along"), tr("direction along an edge"), true,
        [](const Session& s, const std::vector<PickedPoint>& picked) { return edge_at(s, picked[0]); });
  picks(add(tr("face"), "direction_face", tr("straight into a face that you click")), 1, tr("Click the face that it goes straight into"), tr("direction into a face"), false,
        [](const Session&, const std::vector<PickedPoint>& picked) { return Vec3(-picked[0].normal); });
  picks(add(tr("points"), "direction_points", tr("from one point that you click to another; vertices and edge middles catch")), 2, tr("Click where it begins, then where it leads"),
        tr("direction from point to point"), false, [](const Session&, const std::vector<PickedPoint>& picked) { return Vec3(picked[1].point - picked[0].point); });
  connect(add(tr("over"), "direction_over", tr("turned round")), &QToolButton::clicked, this, [this] {
    if (const auto found = session_.job().find_step(step_)) set_direction(tr("turn the direction round"), session_.job().world_of(found.part->id).linear() * -std::get<Vec3>(found.step->fields[field_]));
  });
  row->addStretch();
}

void DirectionEditor::set_direction(const QString& label, const Vec3& direction, bool keep_side) {
  const auto found = session_.job().find_step(step_);
  if (!found) return;
  Vec3 own = (session_.job().world_of(found.part->id).linear().inverse() * direction).normalized();
  if (keep_side && own.dot(std::get<Vec3>(found.step->fields[field_])) < 0) own = -own;
  // One that misses an axis by rounding alone is meant along it.
  for (double& x : own)
    if (std::abs(x) < 1e-12) x = 0;
  session_.commit(label, edit::change_step(session_.job(), step_, [&](Step& step) {
                    step.fields[field_] = Vec3(own.normalized());
                    const std::vector<Field>& fields = step.kind->fields;
                    for (std::size_t k = 0; k < fields.size(); ++k)
                      if (fields[k].kind == FieldKind::choice && std::any_of(fields[k].choices.begin(), fields[k].choices.end(), [&](const FieldChoice& choice) { return choice.key == fields[field_].key; }))
                        step.fields[k] = fields[field_].key;
                  }));
}

}  // namespace anvil::app
