// SPDX-License-Identifier: GPL-3.0-or-later
// Stock: bring parts in, or make them.
#include <cmath>

#include "app/job_files.h"
#include "app/stations/desk.h"
#include "app/view/view_widget.h"
#include "core/outline.h"
#include "core/stock/primitive.h"
#include "job/edit.h"

namespace anvil::app {
namespace {

/// In the middle of what is chosen, so that a tool goes through it on both sides; else standing on the ground.
void add_primitive(Session& session, const StockKind& kind) {
  Part part;
  part.name = kind.label;
  part.source = Primitive::of(kind.key);
  const Box3 around = session.world_bounds(session.chosen());
  if (!around.empty()) {
    part.placement.position = around.centre();
    for (double& x : part.placement.position) x = std::round(x * 1e6) / 1e6;
  } else if (const auto mesh = make_mesh(std::get<Primitive>(part.source))) {
    part.placement.position.z() = -bounds(*mesh).lo.z();
  }
  PartId id = 0;
  const Job next = edit::add_part(session.job(), part, &id);
  session.commit(QObject::tr("make %1").arg(QString::fromStdString(kind.label).toLower()), next);
  session.select({id});
  session.say(QObject::tr("Its dimensions stand in the recipe on the left · Ctrl+click another part to combine"));
}

/// An outline is drawn on the face or the ground that is clicked, and stands on it; by Return alone it is made as the others are.
void draw_solid(Desk& desk, const StockKind& kind) {
  desk.view.draw_outline(DrawKind::polygon, DrawPlane::surface, [&session = desk.session, &kind](const DrawnOutline& drawn) {
    if (drawn.outline.empty()) return add_primitive(session, kind);
    // About the middle of what was drawn, so that it turns and is scaled about that.
    Vec2 low = drawn.outline[0][0].at, high = low;
    for (const OutlinePoint& p : drawn.outline[0]) low = low.cwiseMin(p.at), high = high.cwiseMax(p.at);
    const Vec2 middle = (low + high) / 2;
    Outline own = drawn.outline;
    for (OutlinePoint& p : own[0]) p.at -= middle;
    Primitive primitive = Primitive::of(kind.key);
    primitive.values[*field_place(kind.fields, "outline")] = to_text(own);
    Affine stands = Affine::Identity();
    stands.linear() << drawn.frame.u, drawn.frame.v, drawn.frame.normal;
    stands.translation() = drawn.frame.at(middle);
    Part part;
    part.name = kind.label;
    part.source = std::move(primitive);
    part.placement = Placement::of(stands);
    PartId id = 0;
    session.commit(QObject::tr("draw %1").arg(QString::fromStdString(kind.label).toLower()), edit::add_part(session.job(), part, &id));
    session.select({id});
    session.say(QObject::tr("How high it is, and its points, stand in the recipe on the left · Ctrl+click another part to combine"));
  });
}

/// Keys of the kinds that have been there longest; others are found by name.
const char* key_for(const std::string& kind) {
  static const std::map<std::string, const char*> keys = {{"box", "B"},       {"cylinder", "C"}, {"frustum", "O"},
                                                          {"sphere", "S"},    {"icosphere", "E"}, {"torus", "R"},
                                                          {"prism", "P"},     {"star-prism", "Shift+P"}, {"sheet", "L"}};
  const auto it = keys.find(kind);
  return it == keys.end() ? "" : it->second;
}

}  // namespace

void add_stock_verbs(Desk& desk) {
  desk.book.add(Station::stock, QObject::tr("Stock"), "bring_in", QObject::tr("Bring in"), "bring_in", {key("Ctrl+I")},
                QObject::tr("Read mesh files (STL, OBJ, PLY, OFF, 3MF), each as a part."), [&files = desk.files] { files.bring_in(); });
  for (const StockKind& kind : stock_table()) {
    const bool drawn = kind.key == "outline";
    const QString where = drawn ? QObject::tr("%1 Drawn on the face or the ground that is clicked.") : QObject::tr("%1 Made by its dimensions, in the middle of the chosen part or on the ground.");
    desk.book.add(Station::stock, QObject::tr("Stock"), QString::fromStdString(kind.key), QString::fromStdString(kind.label),
                  QString::fromStdString(kind.icon), {key(key_for(kind.key))},
                  where.arg(QString::fromStdString(kind.help)), [desk, &kind, drawn]() mutable { drawn ? draw_solid(desk, kind) : add_primitive(desk.session, kind); });
  }
}

}  // namespace anvil::app
