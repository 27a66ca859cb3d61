// SPDX-License-Identifier: GPL-3.0-or-later
// Every change to a job, as a function from one version to the next. What cannot be done says why.
#pragma once

#include <functional>

#include "job/job.h"

namespace anvil::edit {

/// Puts a new part at the end of the list, under a name not yet taken; `id` tells which it became.
Job add_part(const Job& job, Part part, PartId* id = nullptr);

/// Changes one part through `change`; its id cannot be changed.
Job change_part(const Job& job, PartId id, const std::function<void(Part&)>& change);

/// Deletes parts. Recipes that used them as tools lose those tools; parts that rode along stay in place.
Job remove_parts(const Job& job, const std::vector<PartId>& ids);

/// Copies parts beside themselves. The tools of a copied part that ride along with it are copied with it;
/// a copied tool stays a tool of the same part, with the same operation.
/// @param copies  receives the new ids, in the order of `ids`
Job duplicate_parts(const Job& job, const std::vector<PartId>& ids, std::vector<PartId>* copies = nullptr);

/// Makes `tools` tools of `part`, appended to its last combine step (or to a new one); they ride along from
/// where they stand. Refuses locked parts, a part as its own tool (directly or through others), and tools
/// that another part uses already.
Result<Job> combine(const Job& job, PartId part, const std::vector<PartId>& tools, Operation operation);

/// Puts the pieces of a part's result into the job as parts of their own, where they stand, and hides the part.
/// @param pieces  meshes in the part's frame
Job break_out(const Job& job, PartId part, const std::vector<Mesh>& pieces, std::vector<PartId>* ids = nullptr);

/// Ends the use of a part as a tool; it stays where it stands.
Job release_tool(const Job& job, PartId tool);

/// Exchanges what is kept and what is cut away: the tool takes the place of the part in the recipe, and the
/// part becomes the tool. Possible for a part with exactly one tool.
Result<Job> swap_roles(const Job& job, PartId part);

/// Moves one place in the step's list of tools.
Job move_tool(const Job& job, PartId part, std::size_t step, std::size_t from, std::size_t to);

/// Moves a part in the list of parts.
Job reorder_part(const Job& job, PartId part, std::size_t to);

/// Gives the part the wanted placement in the job, whatever it rides on. Exact when it rides on nothing.
Placement placement_for_world(const Job& job, PartId id, const Affine& world);

/// Switches whether a tool rides along with its part; it does not move by that.
Job set_ride_along(const Job& job, PartId tool, bool along);

}  // namespace anvil::edit
