// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/scene.h"

#include <algorithm>

#include "app/theme.h"

namespace anvil::app {

std::vector<PartId> shown_parts(const Session& session, const SceneFilter& filter) {
  std::vector<PartId> shown;
  const Job& job = session.job();
  for (const PartPtr& part : job.parts) {
    if (!part->visible) continue;
    if (const auto& uses = job.uses_of(part->id); !uses.empty()) {
      // A plane that is worked on stands alone, and so does a part whose elements are chosen.
      if (filter.bare || session.active_step() != 0 || session.chooser().on()) continue;
      const PartId owner = session.recipe_owner();
      const bool chosen = std::find(session.selection().begin(), session.selection().end(), part->id) != session.selection().end();
      const bool wanted = chosen || std::any_of(uses.begin(), uses.end(), [&](const Job::Use& use) { return use.part == owner; });
      if (!wanted || (filter.chosen_ghosts_only && !chosen && filter.pointed_at != part->id)) continue;
    }
    shown.push_back(part->id);
  }
  return shown;
}

std::vector<DrawItem> draw_items(const Session& session, const SceneFilter& filter) {
  std::vector<DrawItem> items;
  const Job& job = session.job();
  const auto& chosen = session.selection();
  for (PartId id : shown_parts(session, filter)) {
    const PartResult r = session.result(id);
    if (!r.evaluated || !r.evaluated->drawable || r.evaluated->drawable->empty()) continue;
    const Part& part = job.at(id);
    const auto use = session.use_here(id);
    DrawItem item;
    item.drawable = r.evaluated->drawable;
    item.world = job.world_of(id);
    item.selected = std::find(chosen.begin(), chosen.end(), id) != chosen.end();
    item.ghost = use.has_value();
    item.colour = part.tint ? QColor::fromRgb(*part.tint) : theme::part;
    if (item.ghost) {
      item.colour = use->on ? theme::operation_tint(use->operation) : theme::other;
      item.outline = item.selected ? theme::selection : item.colour;
      item.faint = !item.selected && filter.pointed_at != id;
    } else {
      // Where elements are chosen they alone have the colour of the selection.
      item.selected = item.selected && !filter.bare && !(session.chooser().on() && id == session.chooser().part());
      item.fresh = id == session.recipe_owner() && !filter.bare && !session.chooser().on();
      item.outline = item.selected ? theme::selection : theme::ink;
    }
    if (const auto regions = session.region_look().drawable(id)) item.drawable = regions;
    if (const auto smooth = session.smooth_look(id)) item.drawable = smooth;
    items.push_back(std::move(item));
  }
  return items;
}

std::vector<DrawItem> chosen_items(Session& session) {
  std::vector<DrawItem> items;
  Chooser& chooser = session.chooser();
  if (!chooser.on() || session.smooth_look(chooser.part()) || session.job().find(chooser.part()) == nullptr || !session.job().at(chooser.part()).visible) return items;
  for (const auto& drawable : {chooser.wires(), chooser.drawable()}) {
    if (!drawable) continue;
    DrawItem item;
    item.drawable = drawable;
    item.world = session.job().world_of(chooser.part());
    item.colour = item.outline = theme::selection;
    item.overlay = true;
    items.push_back(std::move(item));
  }
  return items;
}

Box3 scene_box(const Session& session, const SceneFilter& filter) {
  Box3 box;
  for (PartId id : shown_parts(session, filter)) box.add(session.world_bounds(id));
  return box;
}

Box3 selection_box(const Session& session) {
  Box3 box;
  for (PartId id : session.selection()) box.add(session.world_bounds(id));
  return box;
}

}  // namespace anvil::app
