// SPDX-License-Identifier: GPL-3.0-or-later
// What the steps of edits by hand have in common: they find their elements again, edit them, and say what they could not find.
#pragma once

#include "core/modify/edits.h"
#include "job/step.h"

namespace anvil {

/// An edit of chosen elements, with the fields of its step.
using ElementEdit = Result<Edited> (*)(const Mesh& mesh, const Topology& topology, const Elements& chosen, const FieldReader& fields, const Control& control);

/// The field that holds what was chosen; all these steps have it under this key.
/// @param kinds  "faces", "edges", "vertices": which fit, the preferred one first; others are turned into that
/// @param max    0: any number
Field chosen_field(std::vector<std::string> kinds, double min, double max, std::string help);

/// The fields of EdgeSettings, "to-sides" and "reach", and what they are set to.
Field to_sides_field();
Field reach_field();
EdgeSettings edge_settings(const FieldReader& fields);

/// Runs an edit on the elements that its step names. An Issue when none of them is there any more, fewer than it needs, or
/// the edit refuses.
/// @param did  told with the number of what was done
Result<StepOutput> run_edit(const StepInput& input, const Field& field, const Note& did, ElementEdit edit);

/// Says which elements were not found again, if any.
void tell_missing(OperationReport& report, const std::string& part, std::vector<Vec3> places);

}  // namespace anvil
