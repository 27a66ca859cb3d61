// SPDX-License-Identifier: GPL-3.0-or-later
// Every change to a job, as a function from one version to the next. What cannot be done says why: a locked part can
// only be shown, hidden, copied and unlocked.
#pragma once

#include <functional>

#include "core/modify/elements.h"
#include "job/recipe_runner.h"

namespace anvil::edit {

/// Puts a new part at the end of the list, under a name not yet taken; `id` tells which it became.
Job add_part(const Job& job, Part part, PartId* id = nullptr);

/// Changes one part through `change`; its id cannot be changed. Asks nothing: for what is no change of the part itself
/// (shown, hidden, locked), and for callers that have asked.
Job change_part(const Job& job, PartId id, const std::function<void(Part&)>& change);
/// The same for a change of the part itself; refused while it is locked.
Result<Job> change_unlocked(const Job& job, PartId id, const std::function<void(Part&)>& change);
/// Why parts cannot be changed: the first that is locked.
std::optional<Issue> locked_issue(const Job& job, const std::vector<PartId>& ids);

/// Deletes parts. Recipes that used them as tools lose those tools; parts that rode along stay in place.
Result<Job> remove_parts(const Job& job, const std::vector<PartId>& ids);

/// Copies parts beside themselves, unlocked. The tools of a copied part are copied with it; a copied tool stays a tool of
/// the same part, with the same operation.
/// @param copies  receives the new ids, in the order of `ids`
Result<Job> duplicate_parts(const Job& job, const std::vector<PartId>& ids, std::vector<PartId>* copies = nullptr);

/// Makes `tools` tools of `part`, appended to its last step when that combines (or to a new one); they ride along from
/// where they stand. Refuses locked parts, a part as its own tool (directly or through others), and tools
/// that another part uses already.
Result<Job> combine(const Job& job, PartId part, const std::vector<PartId>& tools, Operation operation);
/// The same for a step that is there already.
Result<Job> add_tools(const Job& job, StepId step, const std::vector<PartId>& tools, Operation operation);

/// Adds a step at the end of the part's recipe. @param id  receives its id
Result<Job> add_step(const Job& job, PartId part, Step step, StepId* id = nullptr);
/// Changes one step through `change`; refused while its part is locked, and for values out of their range.
Result<Job> change_step(const Job& job, StepId id, const std::function<void(Step&)>& change);
/// Takes a step out of its recipe; its tools become parts again, where they stand.
Result<Job> remove_step(const Job& job, StepId id);
/// Changes how a part is used as a tool; refused while it or the part that uses it is locked.
Result<Job> change_use(const Job& job, PartId tool, const std::function<void(ToolUse&)>& change);

/// Puts the pieces of a part's result into the job as parts of their own, where they stand, and hides the part.
/// @param pieces  meshes in the part's frame
Job break_out(const Job& job, PartId part, const std::vector<Mesh>& pieces, std::vector<PartId>* ids = nullptr);

/// Makes chosen faces of a part's result a part of its own, where they stand; the part gets a step that takes them away.
/// Refused while the part is locked, and for none or all of its faces.
/// @param id  receives the new part's id
Result<Job> detach_faces(const Job& job, PartId part, const Evaluated& result, const Elements& faces, PartId* id = nullptr);
/// Adds a step that puts other parts into the part and welds them to it.
Result<Job> join(const Job& job, PartId part, const std::vector<PartId>& others);

/// Ends the use of a part as a tool; it stays where it stands.
Result<Job> release_tool(const Job& job, PartId tool);

/// Exchanges what is kept and what is cut away: the tool takes the place of the part in the recipe, and the
/// part becomes the tool. Possible for a part with exactly one tool.
Result<Job> swap_roles(const Job& job, PartId part);

/// Moves one place in the step's list of tools.
Result<Job> move_tool(const Job& job, StepId step, std::size_t from, std::size_t to);

/// Moves a part in the list of parts.
Job reorder_part(const Job& job, PartId part, std::size_t to);

/// Gives the part the wanted placement in the job, whatever it rides on: to rounding, sheared where that is needed.
Placement placement_for_world(const Job& job, PartId id, const Affine& world);
/// Why a placement cannot be had: a number out of its range.
std::optional<Issue> check_placement(const Placement& placement);

/// Switches whether a tool rides along with its part; it does not move by that.
Result<Job> set_ride_along(const Job& job, PartId tool, bool along);

}  // namespace anvil::edit
