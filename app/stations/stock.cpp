// SPDX-License-Identifier: GPL-3.0-or-later
// Stock: bring parts in, or make them.
#include <cmath>

#include "app/job_files.h"
#include "app/stations/desk.h"
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
  for (const StockKind& kind : stock_table())
    desk.book.add(Station::stock, QObject::tr("Stock"), QString::fromStdString(kind.key), QString::fromStdString(kind.label),
                  QString::fromStdString(kind.icon), {key(key_for(kind.key))},
                  QObject::tr("%1 Made by its dimensions, in the middle of the chosen part or on the ground.").arg(QString::fromStdString(kind.help)),
                  [&session = desk.session, &kind] { add_primitive(session, kind); });
}

}  // namespace anvil::app
