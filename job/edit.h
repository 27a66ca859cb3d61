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

/// Deletes parts. Recipes that used them as tools lose those tools; parts that rode along stay in place. Refused for one that is
/// the live source of another that stays.
Result<Job> remove_parts(const Job& job, const std::vector<PartId>& ids);

/// Copies parts beside themselves, unlocked. Tools that ride along are copied with their part, others serve the copy as well; a copy
/// of a tool alone is a tool beside it, in the same tray, wherever the original is one.
/// @param copies  receives the new ids, in the order of `ids`
Result<Job> duplicate_parts(const Job& job, const std::vector<PartId>& ids, std::vector<PartId>* copies = nullptr);

/// Where a step goes into a recipe: behind the step `behind`, 0: at its end.
struct StepPlace {
  StepId behind = 0;
};
/// Makes `tools` tools of `part`, appended to the step at that place when it combines (or to a new one); those that ride on nothing yet
/// ride along from where they stand. Refuses locked parts, and a part as its own tool (directly or through others).
Result<Job> combine(const Job& job, PartId part, const std::vector<PartId>& tools, Operation operation, const StepPlace& place = {});
/// The same for a step that is there already; a part is in a step only once.
/// @param tray  that they go into, by its id; 0: straight into the step
Result<Job> add_tools(const Job& job, StepId step, const std::vector<PartId>& tools, Operation operation, UseId tray = 0);
/// Makes one tool of a part out of its result as it is now, so that nothing follows back: the way out of a loop.
/// @param kept  the tool's result, in its own frame
Result<Job> add_kept_tool(const Job& job, StepId step, PartId tool, std::shared_ptr<const Mesh> kept, Operation operation, UseId tray = 0);

/// Changes a row of a step through `change`; what it is a row of stays. Refused while the part that uses it is locked.
Result<Job> change_use(const Job& job, UseId use, const std::function<void(ToolUse&)>& change);
/// Ends a use, or that of all in a tray; what it was stays where it stands, and rides no more on a part that does not use it.
Result<Job> release_use(const Job& job, UseId use);
/// Ends all uses of a part as a tool.
Result<Job> release_tool(const Job& job, PartId tool);
/// A tool's result as it is now, or null to follow its recipe again. Refused where following would make a loop.
Result<Job> keep_tool(const Job& job, UseId use, std::shared_ptr<const Mesh> kept);

/// Where a row of a step stands.
struct RowPlace {
  StepId step = 0;
  UseId tray = 0;      ///< 0: straight in the step
  std::size_t at = 0;  ///< before the row that has this place now; more: at the end
  static constexpr std::size_t last = static_cast<std::size_t>(-1);
};
/// Moves rows, in their order, to a place in a step of the same part. What would do in its new tray what the tray does is united
/// there; what was only united in the tray that it leaves does what that did.
Result<Job> move_uses(const Job& job, const std::vector<UseId>& uses, const RowPlace& to);

/// Puts rows of one step into a new tray, which stands where the first of them stood and has its operation; what they would
/// do by the same one they are united by.
/// @param id  receives the tray's id
Result<Job> add_tray(const Job& job, const std::vector<UseId>& uses, const std::string& name, UseId* id = nullptr);
/// Adds a tray that holds a set, and stays in step with it.
Result<Job> add_set_tray(const Job& job, StepId step, SetId set, Operation operation, UseId* id = nullptr);
/// Takes a tray away; what was in it stands in its place. Those that were united do what the tray did.
Result<Job> dissolve_tray(const Job& job, UseId tray);

/// Adds a step to the part's recipe. @param id  receives its id
Result<Job> add_step(const Job& job, PartId part, Step step, StepId* id = nullptr, const StepPlace& place = {});
/// Changes one step through `change`; refused while its part is locked, and for values out of their range.
Result<Job> change_step(const Job& job, StepId id, const std::function<void(Step&)>& change);
/// Takes a step out of its recipe; its tools become parts again, where they stand.
Result<Job> remove_step(const Job& job, StepId id);
/// Moves a step to another place of its recipe.
Result<Job> move_step(const Job& job, StepId id, std::size_t to);
/// Copies steps behind a step of a part (which may be another one), with the same tools. Refused where that would be a loop.
/// @param ids  receives those of the copies
Result<Job> copy_steps(const Job& job, const std::vector<StepId>& steps, PartId to, const StepPlace& place = {}, std::vector<StepId>* ids = nullptr);

/// Makes a part whose source is what another part comes to.
/// @param kept  its result as it is now; null: it follows that part
Result<Job> add_part_from(const Job& job, PartId part, std::shared_ptr<const Mesh> kept, PartId* id = nullptr);
/// The same switch for a part that has such a source.
Result<Job> keep_source(const Job& job, PartId part, std::shared_ptr<const Mesh> kept);
/// Makes a part's result its source; source and recipe as they were are kept beside it.
Result<Job> forge(const Job& job, PartId part, std::shared_ptr<const Mesh> result);
/// Brings source and recipe back as they were before the part was forged; steps that came after follow them. Tools that are not
/// there any more, or would need the part itself, are left out. @param left_out  receives their number
Result<Job> unforge(const Job& job, PartId part, std::size_t* left_out = nullptr);

/// Keeps parts together under a name not yet taken. @param id  receives the set's id
Job add_set(const Job& job, const std::string& name, const std::vector<PartId>& parts, SetId* id = nullptr);
/// Changes a set through `change`; refused where a tray that holds it would need itself.
Result<Job> change_set(const Job& job, SetId id, const std::function<void(PartSet&)>& change);
/// Trays that held it hold its parts as rows of their own from then on.
Job remove_set(const Job& job, SetId id);

/// Puts the pieces of a part's result into the job as parts of their own, where they stand, and hides the part.
/// @param pieces  meshes in the part's frame
Job break_out(const Job& job, PartId part, const std::vector<Mesh>& pieces, std::vector<PartId>* ids = nullptr);

/// Makes chosen faces of a part's result a part of its own, where they stand; the part gets a step that takes them away.
/// Refused while the part is locked, and for none or all of its faces.
/// @param id  receives the new part's id
Result<Job> detach_faces(const Job& job, PartId part, const Evaluated& result, const Elements& faces, PartId* id = nullptr, const StepPlace& place = {});
/// Adds a step that puts other parts into the part and welds them to it.
Result<Job> join(const Job& job, PartId part, const std::vector<PartId>& others, const StepPlace& place = {});

/// Exchanges what is kept and what is cut away: the tool of that row takes the place of the part, with all that comes after, and
/// the part as it is before that step becomes the tool. Where the tool serves elsewhere, a copy of it takes over there.
Result<Job> swap_roles(const Job& job, UseId use);

/// Moves a part in the list of parts.
Job reorder_part(const Job& job, PartId part, std::size_t to);

/// Gives the part the wanted placement in the job, whatever it rides on: to rounding, sheared where that is needed.
Placement placement_for_world(const Job& job, PartId id, const Affine& world);
/// Why a placement cannot be had: a number out of its range.
std::optional<Issue> check_placement(const Placement& placement);

/// Fastens a part to another, or loosens it; it does not move by that. Refused where a part would ride on itself.
Result<Job> fasten(const Job& job, PartId part, std::optional<PartId> to);

}  // namespace anvil::edit
