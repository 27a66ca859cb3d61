// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/cards/plane_editor.h"

#include <QHBoxLayout>
#include <QMenu>

#include "app/widgets.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// A direction that misses an axis by rounding alone is meant along it.
Vec3 tidy(const Vec3& direction) {
  Vec3 d = direction.normalized();
  for (double& x : d)
    if (std::abs(x) < 1e-12) x = 0;
  return d.normalized();
}

}  // namespace

PlaneEditor::PlaneEditor(Session& session, StepId step, std::size_t point, std::size_t normal, QWidget* parent)
    : QWidget(parent), session_(session), step_(step), point_(point), normal_(normal) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 2, 0, 2);
  row->setSpacing(4);
  auto add = [&](const QString& text, const char* name, const QString& tip) {
    QToolButton* button = link_button(text);
    button->setObjectName(QLatin1String(name));
    button->setToolTip(tip);
    row->addWidget(button);
    return button;
  };
  auto* axes = add(tr("across ▾"), "plane_across", tr("Across an axis of the part or of the job, or through the middle of the part"));
  auto* menu = new QMenu(axes);
  static constexpr const char* names[3] = {"right", "back", "up"};
  for (int axis = 0; axis < 3; ++axis)
    menu->addAction(tr("the part's %1").arg(QLatin1String(names[axis])), this,
                    [this, axis] { set_plane(tr("turn the plane"), std::nullopt, Vec3(Vec3::Unit(axis))); });
  menu->addSeparator();
  for (int axis = 0; axis < 3; ++axis)
    menu->addAction(tr("the job's %1").arg(QLatin1String(names[axis])), this, [this, axis] {
      const Affine world = session_.job().world_of(owner());
      set_plane(tr("turn the plane"), std::nullopt, Vec3(world.linear().transpose() * Vec3(Vec3::Unit(axis))));
    });
  menu->addSeparator();
  menu->addAction(tr("through the part's own origin"), this, [this] { set_plane(tr("move the plane"), Vec3(Vec3::Zero()), std::nullopt); });
  menu->addAction(tr("through the middle of its bounds"), this, [this] {
    const Box3 box = session_.world_bounds(owner());
    if (!box.empty()) set_plane(tr("move the plane"), Vec3(session_.job().world_of(owner()).inverse() * box.centre()), std::nullopt);
  });
  axes->setMenu(menu);
  axes->setPopupMode(QToolButton::InstantPopup);
  connect(add(tr("face"), "plane_face", tr("Put it onto a face that you click")), &QToolButton::clicked, this, [this] {
    const QPointer<PlaneEditor> self(this);
    emit session_.pick_requested(1, tr("Click the face that the plane is to lie on"), [self](const std::vector<PickedPoint>& picked) {
      if (!self) return;
      const Affine world = self->session_.job().world_of(self->owner());
      self->set_plane(tr("plane onto a face"), Vec3(world.inverse() * picked[0].point), Vec3(world.linear().transpose() * picked[0].normal));
    });
  });
  connect(add(tr("3 points"), "plane_points", tr("Lay it through three points that you click; vertices and edge middles catch")),
          &QToolButton::clicked, this, [this] {
            const QPointer<PlaneEditor> self(this);
            emit session_.pick_requested(3, tr("Click three points of the plane"), [self](const std::vector<PickedPoint>& picked) {
              if (!self) return;
              const Affine back = self->session_.job().world_of(self->owner()).inverse();
              const Vec3 a = back * picked[0].point, b = back * picked[1].point, c = back * picked[2].point;
              const Vec3 across = (b - a).cross(c - a);
              const double longest = std::max((b - a).norm(), (c - a).norm());
              if (across.norm() < 1e-9 * longest * longest)
                return self->session_.complain({"the three points lie on one line", "", {}, "click three that do not"});
              // The side that faces the viewer's side of the old plane stays above.
              self->set_plane(tr("plane through three points"), a, across.dot(self->current(self->normal_)) < 0 ? Vec3(-across) : across);
            });
          });
  connect(add(tr("over"), "plane_over", tr("Turn it over: exchange above and below")), &QToolButton::clicked, this,
          [this] { set_plane(tr("turn the plane over"), std::nullopt, Vec3(-current(normal_))); });
  row->addStretch();
}

PartId PlaneEditor::owner() const {
  const auto found = session_.job().find_step(step_);
  return found ? found.part->id : 0;
}

Vec3 PlaneEditor::current(std::size_t field) const {
  const auto found = session_.job().find_step(step_);
  return found ? std::get<Vec3>(found.step->fields[field]) : Vec3(0, 0, 1);
}

void PlaneEditor::set_plane(const QString& label, const std::optional<Vec3>& point, const std::optional<Vec3>& normal) {
  session_.commit(label, edit::change_step(session_.job(), step_, [&](Step& step) {
                    if (point) step.fields[point_] = *point;
                    if (normal) step.fields[normal_] = tidy(*normal);
                  }));
}

}  // namespace anvil::app
