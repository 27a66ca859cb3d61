// SPDX-License-Identifier: GPL-3.0-or-later
// What of the job stands in the view, and how each part is drawn.
#pragma once

#include "app/session.h"
#include "app/view/renderer.h"

namespace anvil::app {

/// What is left out of the view.
struct SceneFilter {
  bool bare = false;                ///< just the shape: no ghosts
  bool chosen_ghosts_only = false;  ///< of the ghosts only those of chosen tools, and of the one whose marker is pointed at
  PartId pointed_at = 0;
};

/// Visible parts; tools only while they, their part, or another tool of it is chosen, as far as the filter lets them, and none
/// while a step is worked on in the view or elements are chosen.
std::vector<PartId> shown_parts(const Session& session, const SceneFilter& filter);
std::vector<DrawItem> draw_items(const Session& session, const SceneFilter& filter);
/// What is drawn over the part while elements of it are chosen.
std::vector<DrawItem> chosen_items(Session& session);
/// Bounds of all that is shown, in the job's space.
Box3 scene_box(const Session& session, const SceneFilter& filter);
Box3 selection_box(const Session& session);

}  // namespace anvil::app
