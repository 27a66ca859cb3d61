// SPDX-License-Identifier: GPL-3.0-or-later
// What a recipe can hold: trays, sets, shared and kept tools, other parts as sources, forged results; and edits of all that.
#include "core/soundness/check.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/job/box_part.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A plate of 100 × 40 × 10 (1) and four pins of 10 × 10 × 20 through it, 20 apart (2 to 5).
Job plate_and_pins() {
  Job job = edit::add_part(Job{}, box_part("Plate", {100, 40, 10}));
  for (int k = 0; k < 4; ++k) job = edit::add_part(job, box_part("Pin", {10, 10, 20}, {20.0 * k - 30, 0, 0}));
  return job;
}
constexpr double plate = 100 * 40 * 10, hole = 10 * 10 * 10, stub = 10 * 10 * 10;  // a pin stands out by a stub

double volume(const Job& job, PartId part = 1) {
  RecipeRunner runner;
  const EvaluatedPtr made = runner.evaluate(job, part, {}, false);
  REQUIRE_FALSE(made->error);
  CHECK(check_soundness(*made->mesh).sound);
  return signed_volume(*made->mesh);
}
std::shared_ptr<const Mesh> result(const Job& job, PartId part) {
  RecipeRunner runner;
  auto mesh = std::make_shared<Mesh>(*runner.evaluate(job, part, {}, false)->mesh);
  mesh->origins.clear();
  return mesh;
}
UseId use_of(const Job& job, PartId tool) { return job.use_of(tool)->id; }
StepId step_of(const Job& job, PartId part = 1, std::size_t k = 0) { return job.at(part).recipe.at(k).id; }
Job reopened(const Job& job) {
  const TemporaryFolder folder;
  REQUIRE(save_job(job, folder / "job.anvil"));
  Result<Job> read = load_job(folder / "job.anvil");
  REQUIRE(read);
  // It writes the very same file again.
  REQUIRE(save_job(*read, folder / "again.anvil"));
  CHECK(read_text(folder / "job.anvil") == read_text(folder / "again.anvil"));
  return *read;
}

}  // namespace

TEST_CASE("a tray is one tool: what it holds is made into one body first, each row by its own operation") {
  Job job = *edit::combine(plate_and_pins(), 1, {2, 3, 4, 5}, Operation::difference);
  CHECK(volume(job) == Approx(plate - 4 * hole));
  UseId tray = 0;
  job = *edit::add_tray(job, {use_of(job, 2), use_of(job, 3), use_of(job, 4)}, "Holes", &tray);
  CHECK(job.find_use(tray).use->operation == Operation::difference);
  CHECK(volume(job) == Approx(plate - 4 * hole));
  // A core through the first pin, taken away from it within the tray, stands in the hole.
  job = edit::add_part(job, box_part("Core", {4, 4, 40}, {-30, 0, 0}));
  job = *edit::add_tools(job, step_of(job), {6}, Operation::difference, tray);
  CHECK(volume(job) == Approx(plate - 4 * hole + 4 * 4 * 10));
  // The tray's operation is that of the whole body.
  const auto intersected = edit::change_use(job, tray, [](ToolUse& use) { use.operation = Operation::intersection; });
  CHECK(volume(*edit::change_use(*intersected, use_of(job, 5), [](ToolUse& use) { use.on = false; })) == Approx(3 * hole - 4 * 4 * 10));
  const auto united = edit::change_use(job, tray, [](ToolUse& use) { use.operation = Operation::unite; });
  CHECK(volume(*united) == Approx(plate + 3 * stub - 4 * 4 * 10 - hole));
  // Off, it does nothing at all.
  CHECK(volume(*edit::change_use(job, tray, [](ToolUse& use) { use.on = false; })) == Approx(plate - hole));
  CHECK_FALSE(edit::change_use(job, tray, [](ToolUse& use) { use.on = false; })->use_of(2)->on);
  CHECK(job.use_of(6)->operation == Operation::difference);
  CHECK(job.use_of(6)->trays == std::vector<UseId>{tray});
  CHECK(volume(reopened(job)) == Approx(plate - 4 * hole + 4 * 4 * 10));
}

TEST_CASE("trays hold trays") {
  Job job = *edit::combine(plate_and_pins(), 1, {2, 3, 4, 5}, Operation::difference);
  UseId inner = 0, outer = 0;
  job = *edit::add_tray(job, {use_of(job, 2), use_of(job, 3)}, "Pair", &inner);
  job = *edit::add_tray(job, {inner, use_of(job, 4)}, "Three", &outer);
  CHECK(job.find_use(inner).use->operation == Operation::unite);
  CHECK(volume(job) == Approx(plate - 4 * hole));
  // Within the outer tray the pair is taken away from the third pin: they do not touch, so only that one is cut.
  job = *edit::move_uses(job, {use_of(job, 4)}, {step_of(job), outer, 0});
  job = *edit::change_use(job, inner, [](ToolUse& use) { use.operation = Operation::difference; });
  CHECK(volume(job) == Approx(plate - 2 * hole));
  // A tray cannot be put into itself, nor into one that it holds.
  CHECK_FALSE(edit::move_uses(job, {outer}, {step_of(job), inner, 0}));
  CHECK_FALSE(edit::move_uses(job, {outer}, {step_of(job), outer, 0}));
  CHECK(volume(reopened(job)) == Approx(plate - 2 * hole));
  // Gathered, all that is in it comes as it is.
  const auto gathered = edit::change_use(job, outer, [](ToolUse& use) { use.operation = Operation::gather; });
  RecipeRunner runner;
  CHECK(signed_volume(*runner.evaluate(*gathered, 1, {}, false)->mesh) == Approx(plate - hole + 3 * (hole + stub)));
}

TEST_CASE("rows go to any place of a step or a tray, together and in their order") {
  Job job = *edit::combine(plate_and_pins(), 1, {2, 3, 4, 5}, Operation::difference);
  const auto order = [&](const std::vector<ToolUse>& rows) {
    std::vector<PartId> tools;
    for (const ToolUse& row : rows) tools.push_back(row.tool);
    return tools;
  };
  const StepId step = step_of(job);
  CHECK(order(edit::move_uses(job, {use_of(job, 4), use_of(job, 2)}, {step, 0, 2})->at(1).recipe[0].tools) == std::vector<PartId>{3, 4, 2, 5});
  CHECK(order(edit::move_uses(job, {use_of(job, 2)}, {step, 0, 99})->at(1).recipe[0].tools) == std::vector<PartId>{3, 4, 5, 2});
  // Dropped where it was, nothing changes.
  CHECK(*edit::move_uses(job, {use_of(job, 3)}, {step, 0, 1})->find(1) == job.at(1));
  UseId tray = 0;
  job = *edit::add_tray(job, {use_of(job, 4), use_of(job, 3)}, "Tray", &tray);
  CHECK(order(job.at(1).recipe[0].tools) == std::vector<PartId>{2, 0, 5});
  CHECK(order(job.find_use(tray).use->inside) == std::vector<PartId>{4, 3});
  const Job out = *edit::dissolve_tray(job, tray);
  CHECK(order(out.at(1).recipe[0].tools) == std::vector<PartId>{2, 4, 3, 5});
  CHECK(out.use_of(4)->operation == Operation::difference);
  CHECK(volume(out) == Approx(plate - 4 * hole));
  // Dragged in and out a row goes on doing what it did.
  const Job into = *edit::move_uses(job, {use_of(job, 5)}, {step, tray, 0});
  CHECK(into.find_use(use_of(into, 5)).use->operation == Operation::unite);
  CHECK(volume(into) == Approx(plate - 4 * hole));
  const Job out_again = *edit::move_uses(into, {use_of(into, 5), use_of(into, 3)}, {step, 0, 0});
  CHECK(out_again.find_use(use_of(out_again, 3)).use->operation == Operation::difference);
  CHECK(volume(out_again) == Approx(plate - 4 * hole));
  // Released, those in a tray become parts again, and the tray goes with its last row.
  const Job released = *edit::release_use(job, tray);
  CHECK_FALSE(released.is_tool(3));
  CHECK_FALSE(released.at(3).rides_on);
  CHECK(order(edit::release_tool(*edit::release_tool(job, 3), 4)->at(1).recipe[0].tools) == std::vector<PartId>{2, 5});
}

TEST_CASE("one tool serves several parts and several steps") {
  Job job = *edit::combine(plate_and_pins(), 1, {2}, Operation::difference);
  job = edit::add_part(job, box_part("Other", {100, 40, 10}, {0, 0, 30}));
  job = *edit::combine(job, 6, {2}, Operation::difference);
  job = edit::change_part(job, 2, [](Part& p) { p.source = Primitive::of("box", {10, 10, 100}); });
  CHECK(volume(job) == Approx(plate - hole));
  CHECK(volume(job, 6) == Approx(plate - hole));
  CHECK(job.at(2).rides_on == PartId{1});
  CHECK(volume(reopened(job), 6) == Approx(plate - hole));
  // Released by one it stays with the other; deleted it is gone from both.
  CHECK(edit::release_use(job, job.use_of(2, 6)->id)->at(2).rides_on == PartId{1});
  CHECK_FALSE(edit::release_use(job, job.use_of(2, 1)->id)->at(2).rides_on);
  CHECK(edit::remove_parts(job, {2})->at(6).recipe.empty());
  // In another step of the same part as well: a pin that was cut out and is put in again.
  StepId second = 0;
  job = *edit::add_step(job, 1, new_step(steps::combine), &second);
  job = *edit::add_tools(job, second, {2}, Operation::unite);
  CHECK(volume(job) == Approx(plate + 10 * 10 * 90));
}

TEST_CASE("a tool that is kept stays as it was, and follows again when asked to") {
  Job job = *edit::combine(plate_and_pins(), 1, {2}, Operation::difference);
  const UseId use = use_of(job, 2);
  job = *edit::keep_tool(job, use, result(job, 2));
  job = edit::change_part(job, 2, [](Part& p) { p.source = Primitive::of("box", {20, 10, 20}); });
  CHECK(volume(job) == Approx(plate - hole));
  CHECK(volume(reopened(job)) == Approx(plate - hole));
  // Kept is its shape, not its place.
  job = edit::change_part(job, 2, [](Part& p) { p.placement.position.x() = 50; });
  CHECK(volume(job) == Approx(plate - hole / 2));
  job = *edit::keep_tool(job, use, nullptr);
  CHECK(volume(job) == Approx(plate - hole));
}

TEST_CASE("a loop is refused with the chain named; a snapshot is the way out") {
  Job job = *edit::combine(plate_and_pins(), 1, {2}, Operation::difference);
  job = *edit::combine(job, 2, {3}, Operation::unite);
  const auto refused = edit::combine(job, 3, {1}, Operation::unite);
  REQUIRE_FALSE(refused);
  CHECK(refused.issue().message().find("Pin 2 → Plate → Pin → Pin 2") != std::string::npos);
  CHECK(refused.issue().remedy == "use a snapshot of Plate as it is now");
  StepId step = 0;
  const Job with_step = *edit::add_step(job, 3, new_step(steps::combine), &step);
  const auto kept = edit::add_kept_tool(with_step, step, 1, result(job, 1), Operation::unite);
  REQUIRE(kept);
  CHECK_FALSE(kept->depends_on(3, 1));
  CHECK(volume(*kept, 3) == Approx(plate - 2 * hole + hole + stub));
  // It would be a loop again if it followed.
  CHECK_FALSE(edit::keep_tool(*kept, use_of(*kept, 1), nullptr));
  // A set that holds the part, and a source, make loops as well.
  SetId set = 0;
  const Job with_set = edit::add_set(job, "All", {1, 5}, &set);
  CHECK_FALSE(edit::add_set_tray(with_set, step_of(job), set, Operation::unite));
  PartId copy = 0;
  const Job with_copy = *edit::add_part_from(job, 1, nullptr, &copy);
  CHECK_FALSE(edit::combine(with_copy, 3, {copy}, Operation::unite));
}

TEST_CASE("a set is a tray and stays in step with it") {
  Job job = *edit::combine(plate_and_pins(), 1, {2}, Operation::difference);
  SetId set = 0;
  job = edit::add_set(job, "Pins", {3, 4}, &set);
  CHECK(edit::add_set(job, "Pins", {}).sets.back().name == "Pins 2");
  job = *edit::add_set_tray(job, step_of(job), set, Operation::difference);
  CHECK(volume(job) == Approx(plate - 3 * hole));
  CHECK(job.is_tool(4));
  const Job more = *edit::change_set(job, set, [](PartSet& s) { s.parts.push_back(5); });
  CHECK(volume(more) == Approx(plate - 4 * hole));
  CHECK(volume(reopened(more)) == Approx(plate - 4 * hole));
  CHECK_FALSE(edit::change_set(job, set, [](PartSet& s) { s.parts.push_back(1); }));
  CHECK(volume(*edit::remove_parts(more, {4})) == Approx(plate - 3 * hole));
  // Without the set the tray holds the same parts as rows of its own.
  const Job plain = edit::remove_set(more, set);
  CHECK(plain.sets.empty());
  CHECK(plain.find_use(plain.use_of(5)->id).use->tool == 5);
  CHECK(volume(plain) == Approx(plate - 4 * hole));
}

TEST_CASE("a part is made from what another comes to, live or kept") {
  Job job = *edit::combine(plate_and_pins(), 1, {2}, Operation::difference);
  PartId live = 0, kept = 0;
  job = *edit::add_part_from(job, 1, nullptr, &live);
  job = *edit::add_part_from(job, 1, result(job, 1), &kept);
  job = *edit::combine(job, live, {3}, Operation::difference);
  CHECK(volume(job, live) == Approx(plate - 2 * hole));
  job = *edit::combine(job, 1, {4}, Operation::difference);
  CHECK(volume(job, live) == Approx(plate - 3 * hole));
  CHECK(volume(job, kept) == Approx(plate - hole));
  CHECK(volume(reopened(job), live) == Approx(plate - 3 * hole));
  // Its faces tell which part they come from.
  RecipeRunner runner;
  const auto made = runner.evaluate(job, live, {}, false);
  const Cast cast = cast_of(job, live);
  REQUIRE(made->cast_parts == cast.part_count());
  REQUIRE(made->cast_steps == cast.step_count());
  std::set<PartId> from;
  for (const FaceOrigin& origin : made->mesh->origins) from.insert(cast.part(origin.part));
  CHECK(from == std::set<PartId>{1, 2, 3, 4});
  // What it follows cannot be deleted under it.
  CHECK_FALSE(edit::remove_parts(job, {1}));
  CHECK(edit::remove_parts(*edit::keep_source(job, live, result(job, 1)), {1}));
}

TEST_CASE("forged, a result is the source; what made it is kept and comes back, with what came after") {
  Job job = *edit::combine(plate_and_pins(), 1, {2, 3}, Operation::difference);
  const Job forged = *edit::forge(job, 1, result(job, 1));
  CHECK(forged.at(1).recipe.empty());
  CHECK_FALSE(forged.at(2).visible);
  CHECK(volume(forged) == Approx(plate - 2 * hole));
  Job later = *edit::combine(forged, 1, {4}, Operation::difference);
  later = reopened(later);
  CHECK(volume(later) == Approx(plate - 3 * hole));
  const Job twice = *edit::forge(later, 1, result(later, 1));
  CHECK(volume(reopened(twice)) == Approx(plate - 3 * hole));
  std::size_t left_out = 0;
  Job back = *edit::unforge(*edit::unforge(reopened(twice), 1), 1, &left_out);
  CHECK(left_out == 0);
  CHECK(back.at(1).recipe.size() == 2);
  CHECK(back.at(2).visible);
  CHECK(volume(back) == Approx(plate - 3 * hole));
  // A copy brings steps of its own back.
  std::vector<PartId> copies;
  Job both = *edit::duplicate_parts(forged, {1}, &copies);
  both = reopened(*edit::unforge(*edit::unforge(both, copies[0]), 1));
  CHECK(volume(both, copies[0]) == Approx(plate - 2 * hole));
  // A tool that was deleted meanwhile is left out.
  back = *edit::unforge(*edit::remove_parts(later, {2}), 1, &left_out);
  CHECK(left_out == 1);
  CHECK(volume(back) == Approx(plate - 2 * hole));
}

TEST_CASE("steps are moved, copied, also to another part, and added in the middle") {
  Job job = *edit::combine(plate_and_pins(), 1, {2}, Operation::difference);
  StepId cut = 0, first = step_of(job);
  Step half = new_step(steps::plane_cut);
  half.fields[*field_place(half.kind->fields, "keep")] = std::string("above");
  job = *edit::add_step(job, 1, half, &cut);
  CHECK(volume(job) == Approx((plate - hole) / 2));
  StepId middle = 0;
  job = *edit::add_step(job, 1, new_step(steps::mirror), &middle, {first});
  CHECK(job.at(1).recipe[1].id == middle);
  job = *edit::remove_step(job, middle);
  // A union that comes after the cut is not cut.
  job = *edit::change_use(job, use_of(job, 2), [](ToolUse& use) { use.operation = Operation::unite; });
  CHECK(volume(job) == Approx((plate + stub) / 2));
  CHECK(volume(*edit::move_step(job, cut, 0)) == Approx(plate / 2 + hole / 2 + stub));
  std::vector<StepId> copies;
  job = edit::add_part(job, box_part("Other", {100, 40, 10}));
  job = *edit::copy_steps(job, {first, cut}, 6, {}, &copies);
  CHECK(copies.size() == 2);
  CHECK(volume(job, 6) == Approx((plate + stub) / 2));
  CHECK(job.uses_of(2).size() == 2);
  CHECK(volume(reopened(job), 6) == Approx((plate + stub) / 2));
  CHECK_FALSE(edit::copy_steps(job, {first}, 2));
}

TEST_CASE("a copied part has copies of the tools that ride on it, and shares those that stay put; a copied tool is in the same tray") {
  Job job = *edit::combine(plate_and_pins(), 1, {2, 3}, Operation::difference);
  job = *edit::fasten(job, 3, std::nullopt);
  UseId tray = 0;
  job = *edit::add_tray(job, {use_of(job, 2)}, "Tray", &tray);
  std::vector<PartId> copies;
  const Job twin = *edit::duplicate_parts(job, {1}, &copies);
  CHECK(twin.parts.size() == job.parts.size() + 2);
  CHECK(twin.uses_of(3).size() == 2);
  CHECK(twin.uses_of(2).size() == 1);
  CHECK(volume(twin, copies[0]) == Approx(plate - 2 * hole));
  copies.clear();
  const Job tool = *edit::duplicate_parts(job, {2}, &copies);
  CHECK(tool.use_of(copies[0])->trays == std::vector<UseId>{tray});
  CHECK(tool.at(copies[0]).rides_on == PartId{1});
  CHECK(volume(reopened(tool)) == Approx(plate - 2 * hole));
}

TEST_CASE("swap puts a tool in the part's place whatever else there is") {
  Job job = plate_and_pins();
  job = *edit::add_step(job, 1, new_step(steps::mirror));
  job = *edit::combine(job, 1, {2, 3}, Operation::difference);
  job = edit::add_part(job, box_part("Other", {100, 40, 10}));
  job = *edit::combine(job, 6, {2}, Operation::unite);
  StepId cut = 0;
  job = *edit::add_step(job, 1, new_step(steps::plane_cut), &cut);
  const double other = volume(job, 6);
  std::map<PartId, Affine> stood;
  for (const PartPtr& part : job.parts) stood[part->id] = job.world_of(part->id);
  const auto swapped = edit::swap_roles(job, job.use_of(2, 1)->id);
  REQUIRE(swapped);
  // The pin minus plate and second pin: its two stubs, of which the lower one stays below the plane.
  CHECK(volume(*swapped, 2) == Approx(stub / 2));
  CHECK(swapped->at(1).recipe.size() == 1);
  CHECK(swapped->at(2).recipe.size() == 2);
  CHECK(swapped->at(3).rides_on == PartId{2});
  for (const auto& [id, world] : stood) CHECK((swapped->world_of(id).matrix() - world.matrix()).norm() < 1e-12 * 100);
  // The other part goes on with a copy of the pin.
  CHECK(volume(*swapped, 6) == Approx(other));
  CHECK_FALSE(swapped->depends_on(6, 2));
  CHECK(volume(reopened(*swapped), 2) == Approx(stub / 2));
}

TEST_CASE("swap touches no locked part, and a set goes on with a copy of the tool") {
  Job job = *edit::combine(plate_and_pins(), 1, {2}, Operation::difference);
  SetId set = 0;
  job = edit::add_set(job, "Pins", {2, 3}, &set);
  job = edit::add_part(job, box_part("Other", {100, 40, 10}));
  StepId step = 0;
  job = *edit::add_step(job, 6, new_step(steps::combine), &step);
  job = *edit::add_set_tray(job, step, set, Operation::difference);
  const auto swapped = edit::swap_roles(job, job.use_of(2, 1)->id);
  REQUIRE(swapped);
  CHECK(volume(*swapped, 6) == Approx(plate - 2 * hole));
  CHECK_FALSE(swapped->depends_on(6, 2));
  job = *edit::combine(job, 6, {4}, Operation::unite);
  const Job outer = *edit::add_part_from(job, 1, nullptr);
  const PartId follower = outer.parts.back()->id;
  const auto refused = edit::swap_roles(edit::change_part(outer, follower, [](Part& p) { p.locked = true; }), job.use_of(2, 1)->id);
  REQUIRE_FALSE(refused);
  CHECK(refused.issue().what == "is locked");
}

TEST_CASE("only what makes one body stands in a tray") {
  Job job = *edit::combine(plate_and_pins(), 1, {2, 3}, Operation::difference);
  UseId tray = 0;
  job = *edit::add_tray(job, {use_of(job, 2)}, "Tray", &tray);
  job = *edit::change_use(job, use_of(job, 3), [](ToolUse& use) { use.operation = Operation::split; });
  const auto moved = edit::move_uses(job, {use_of(job, 3)}, {step_of(job), tray, 0});
  REQUIRE_FALSE(moved);
  CHECK(moved.issue().message().find("cannot split inside a tray") != std::string::npos);
  CHECK_FALSE(edit::change_use(job, use_of(job, 2), [](ToolUse& use) { use.operation = Operation::score; }));
  CHECK(edit::change_use(job, tray, [](ToolUse& use) { use.operation = Operation::split; }));
}

TEST_CASE("fastening moves nothing, and nothing rides on itself") {
  Job job = plate_and_pins();
  job = edit::change_part(job, 1, [](Part& p) { p.placement = {{3, -4, 5}, {10, 20, 30}, {2, 1, 0.5}}; });
  job = *edit::fasten(job, 2, PartId{1});
  job = *edit::fasten(job, 3, PartId{2});
  CHECK((job.world_of(3).translation() - Vec3(-10, 0, 0)).norm() < 1e-12 * 100);
  CHECK_FALSE(edit::fasten(job, 1, PartId{3}));
  CHECK_FALSE(edit::fasten(job, 1, PartId{1}));
  const Job loose = *edit::fasten(job, 2, std::nullopt);
  CHECK((loose.world_of(3).translation() - Vec3(-10, 0, 0)).norm() < 1e-12 * 100);
}

TEST_CASE("a part copied with tools that it has by a set cuts by copies of its own; the original is left as it was") {
  Job job = plate_and_pins();
  SetId set = 0;
  job = edit::add_set(job, "Pins", {2, 3}, &set);
  StepId step = 0;
  job = *edit::add_step(job, 1, new_step(steps::combine), &step);
  job = *edit::add_set_tray(job, step, set, Operation::difference);
  job = *edit::fasten(job, 2, PartId{1});  // the other one stays put
  CHECK(volume(job) == Approx(plate - 2 * hole));
  std::vector<PartId> copies;
  job = *edit::duplicate_parts(job, {1}, &copies);
  REQUIRE(copies.size() == 1);
  const PartId copy = copies[0];
  CHECK(job.find_set(set)->parts == std::vector<PartId>{2, 3});
  CHECK(volume(job) == Approx(plate - 2 * hole));
  CHECK(volume(job, copy) == Approx(plate - 2 * hole));
  const auto uses = job.uses_by(copy);
  REQUIRE(uses.size() == 2);
  CHECK(uses[0].tool != 2);
  CHECK(job.at(uses[0].tool).rides_on == copy);
  CHECK(uses[1].tool == 3);
  // Moved aside, the copy takes its own pin along and leaves the shared one behind.
  job = edit::change_part(job, copy, [](Part& part) { part.placement.position.y() = 100; });
  CHECK(volume(job, copy) == Approx(plate - hole));
  CHECK(volume(job) == Approx(plate - 2 * hole));
  (void)reopened(job);
  // A tool copied by itself goes into the set, and cuts there.
  job = *edit::duplicate_parts(job, {3}, &copies);
  CHECK(job.find_set(set)->parts.size() == 3);
}
