// SPDX-License-Identifier: GPL-3.0-or-later
// What a recast spans holes with: widened to all that leaves the parts, drawn tight, or left out.
#pragma once

#include "core/recast/recast_so_far.h"
#include "core/recast/skin.h"

namespace anvil::recast {

/// Faces beside what is spanned that leave the parts span as well, wherever their corners stand; and so do others where they are farther off than half a detail, but for those that close the roots of
/// walls left out.
/// @param at_root  per face, as Skin::at_root
/// @param scope    per vertex: faces at no such vertex are not looked at; empty: all are
void widen_spans(Recast& made, const Ground& ground, double detail, std::span<const char> at_root, std::span<const char> scope = {});

/// Where holes are spanned the skin is as uneven as the views of the parts there are: it is drawn as tight as a membrane, but for what lies along the parts.
void even_spans(Recast& made, const std::string& name, const Control& control);

/// Leaves out the faces that lie on no part, where they span more than that.
/// @param widest  mesh units, across
/// @return the middles of what they spanned
std::vector<Vec3> open_holes(Recast& made, double widest);

}  // namespace anvil::recast
