// SPDX-License-Identifier: GPL-3.0-or-later
// What of the job stands in the view, and how each part is drawn.
#pragma once

#include "app/session.h"
#include "app/view/renderer.h"

namespace anvil::app {

/// Visible parts; tools only while they, their part, or another tool of it is chosen, and neither when `bare` nor while a
/// step is worked on in the view or elements are chosen.
std::vector<PartId> shown_parts(const Session& session, bool bare);
std::vector<DrawItem> draw_items(const Session& session, bool bare);
/// What is drawn over the part while elements of it are chosen.
std::vector<DrawItem> chosen_items(Session& session);
/// Bounds of all that is shown, in the job's space.
Box3 scene_box(const Session& session, bool bare);
Box3 selection_box(const Session& session);

}  // namespace anvil::app
