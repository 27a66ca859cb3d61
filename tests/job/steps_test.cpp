// SPDX-License-Identifier: GPL-3.0-or-later
// Steps as rows of a table: kept by content, told by the cast, saved by their fields. A kind that only this file knows goes
// through all of it.
#include <random>

#include "core/mesh/attributes.h"
#include "core/modify/find_again.h"
#include "core/soundness/check.h"
#include "job/edit.h"
#include "job/history.h"
#include "job/job_file.h"
#include "job/recipe_runner.h"
#include "tests/support/casts.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Part primitive(const std::string& name, const char* kind, std::initializer_list<double> numbers, const Vec3& at = Vec3::Zero()) {
  Part part;
  part.name = name;
  part.source = Primitive::of(kind, numbers);
  part.placement.position = at;
  return part;
}

/// A trial kind: moves every vertex away from the part's origin, or refuses. It has a field of every kind.
constexpr Note swelled{"swelled", "{1} swelled", "{1} swelled"};
std::size_t swollen = 0;
Result<StepOutput> swell(const StepInput& input) {
  ++swollen;
  if (input.fields.on("refuse")) return Issue{"will not swell", input.name, {input.fields.vector("centre")}, "switch it off"};
  StepOutput output;
  output.mesh = *input.mesh;
  for (Vec3& p : output.mesh.positions) p *= input.fields.number("factor");
  for (Index f = 0; f < output.mesh.face_count(); ++f) output.sources.add(0, f);
  output.report.tell(swelled, 1, input.name);
  return output;
}
const StepKind swell_kind = {"swell", "Swell", "scale", "shape", "Grow about the origin.", ToolRule::none,
                             {share_field("factor", "Factor", 2, 0.1, 10, "How much."), toggle_field("refuse", "Refuse", false, "Fail on purpose."),
                              point_field("centre", "Centre", Vec3::Zero(), "Nowhere."), direction_field("way", "Way", {1, 0, 0}, "Nowhere.", "centre"),
                              axis_field("about", "About", {0, 0, 1}, "Nowhere.", "centre"), angle_field("turn", "Turn", 5, "Nothing."),
                              length_field("length", "Length", 3, "Nothing."), count_field("count", "Count", 4, 1, 9, "Nothing."),
                              choice_field("how", "How", "a", {{"a", "A"}, {"b", "B"}}, "Nothing."), elements_field("which", "Which", {"faces"}, 0, 0, "Nothing.")},
                             swell};
const std::array trial_rows = {&steps::combine, &steps::plane_cut, &steps::mirror, &swell_kind};
const StepTable trial_table = trial_rows;

Step with(const StepKind& kind, std::initializer_list<std::pair<const char*, FieldValue>> values) {
  Step step = new_step(kind);
  for (const auto& [key, value] : values) step.fields[*field_place(kind.fields, key)] = value;
  return step;
}

/// Plate (1) with a drill (2) as difference, then cut in half by a plane.
Job drilled_half() {
  Job job = edit::add_part(edit::add_part(Job{}, primitive("Plate", "box", {40, 40, 10})), primitive("Drill", "cylinder", {10, 30, 24}, {5, 0, 0}));
  job = *edit::combine(job, 1, {2}, Operation::difference);
  return *edit::add_step(job, 1, with(steps::plane_cut, {{"normal", Vec3(1, 0, 0)}}));
}

double volume(RecipeRunner& runner, const Job& job, PartId id = 1) { return signed_volume(*runner.evaluate(job, id, {}, false)->mesh); }

}  // namespace

TEST_CASE("a recipe of several kinds of steps gives what they give one after the other") {
  RecipeRunner runner;
  // The half left of x = 0: the plate's half less the drill's part there. The drill's middle is at x = 5, its radius 5: it
  // touches the plane in one corner only.
  CHECK(volume(runner, drilled_half()) == Approx(20 * 40 * 10).epsilon(1e-12));
  Job job = drilled_half();
  job = *edit::add_step(job, 1, with(steps::mirror, {{"normal", Vec3(1, 0, 0)}}));
  CHECK(volume(runner, job) == Approx(40 * 40 * 10).epsilon(1e-12));
  CHECK(runner.check(job, 1, {})->sound);
}

TEST_CASE("a changed last step computes only itself, undo and redo compute nothing, a copy shares everything") {
  RecipeRunner runner;
  History history(drilled_half());
  runner.evaluate(*history.current(), 1, {}, true);
  runner.check(*history.current(), 1, {});
  const auto first = runner.counts();
  CHECK(first.steps == 2);
  const StepId cut = history.current()->at(1).recipe[1].id;
  history.commit("move the plane", *edit::change_step(*history.current(), cut, [](Step& s) { s.fields[0] = Vec3(3, 0, 0); }));
  runner.evaluate(*history.current(), 1, {}, true);
  CHECK(runner.counts().steps == first.steps + 1);
  CHECK(runner.counts().sources == first.sources);
  const auto changed = runner.counts();
  history.undo();
  runner.begin(*history.current());
  runner.evaluate(*history.current(), 1, {}, true);
  runner.check(*history.current(), 1, {});
  history.redo();
  runner.evaluate(*history.current(), 1, {}, true);
  CHECK(runner.counts().steps == changed.steps);
  CHECK(runner.counts().checks == changed.checks);
  CHECK(runner.counts().drawables == changed.drawables);
  std::vector<PartId> copies;
  const Job copied = *edit::duplicate_parts(*history.current(), {1}, &copies);
  CHECK(runner.evaluate(copied, copies[0], {}, true) == runner.evaluate(copied, 1, {}, true));
  CHECK(runner.counts().steps == changed.steps);
}

TEST_CASE("renaming and moving compute nothing, and messages have the new name at once") {
  RecipeRunner runner;
  Job job = edit::add_part(edit::add_part(Job{}, primitive("Plate", "box", {40, 40, 10})), primitive("Sheet", "sheet", {60, 60, 1, 1}));
  job = *edit::combine(job, 1, {2}, Operation::difference);
  const auto before = runner.evaluate(job, 1, {}, false);
  REQUIRE(before->error);
  CHECK(with_names(job, cast_of(job, 1), *before->error).message().starts_with("Sheet: it bounds nothing"));
  CHECK(part_of_token(cast_of(job, 1), before->error->subject) == 2);
  job = edit::change_part(job, 2, [](Part& p) { p.name = "Blade"; });
  job = edit::change_part(job, 1, [](Part& p) { p.placement = {{1, 2, 3}, {10, 20, 30}, {1, 1, 1}}; });
  const auto counts = runner.counts();
  CHECK(runner.evaluate(job, 1, {}, false) == before);
  CHECK(runner.counts().steps == counts.steps);
  CHECK(with_names(job, cast_of(job, 1), *before->error).message().starts_with("Blade: it bounds nothing"));
}

TEST_CASE("every face says part, source face and step, through tools of tools") {
  // Plate (1) less drill (2), whose tip (3) was added to it; then the plate is cut by a plane.
  Job job = edit::add_part(edit::add_part(edit::add_part(Job{}, primitive("Plate", "box", {40, 40, 10})), primitive("Drill", "box", {10, 10, 30}, {0, 0, 10})),
                           primitive("Tip", "prism", {16, 6, 4}, {0, 0, -3}));
  job = *edit::combine(job, 2, {3}, Operation::unite);
  job = *edit::combine(job, 1, {2}, Operation::difference);
  job = *edit::add_step(job, 1, with(steps::plane_cut, {{"point", Vec3(12, 0, 0)}, {"normal", Vec3(1, 0, 0)}}));
  RecipeRunner runner;
  const auto result = runner.evaluate(job, 1, {}, false);
  const Cast cast = cast_of(job, 1);
  REQUIRE(parts_of(cast) == std::vector<PartId>{1, 2, 3});
  const StepId add_tip = job.at(2).recipe[0].id, drill = job.at(1).recipe[0].id, cut = job.at(1).recipe[1].id;
  REQUIRE(steps_of(cast) == std::vector<StepId>{add_tip, drill, cut});
  CHECK(result->cast_parts == 3);
  CHECK(result->cast_steps == 3);
  REQUIRE(result->steps.size() == 2);
  CHECK(cast.step(result->steps[0].step) == drill);
  CHECK(cast.step(result->steps[1].step) == cut);
  const Mesh& mesh = *result->mesh;
  REQUIRE(mesh.origins.size() == mesh.face_count());
  std::map<PartId, int> from;
  bool any_cap = false, any_source = false;
  for (Index f = 0; f < mesh.face_count(); ++f) {
    const FaceOrigin origin = mesh.origins[f];
    const PartId part = cast.part(origin.part);
    ++from[part];
    Vec3 centre = Vec3::Zero();
    for (Index v : mesh.face(f)) centre += mesh.positions[v];
    centre /= static_cast<double>(mesh.face(f).size());
    if (std::abs(centre.x() - 12) < 1e-9) {  // the cap
      any_cap = true;
      CHECK(part == 1);
      CHECK(origin.face == no_index);
      CHECK(cast.step(origin.step) == cut);
    } else if (std::abs(centre.x() + 20) < 1e-9) {  // the left side came through untouched: face 5 of the box
      any_source = true;
      CHECK(origin == FaceOrigin{0, 5, no_index});
    } else if (part == 2 || part == 3) {
      CHECK(cast.step(origin.step) == drill);
      CHECK(origin.face != no_index);
    }
  }
  CHECK(any_cap);
  CHECK(any_source);
  CHECK(from[2] >= 4);
  CHECK(from[3] >= 4);
}

TEST_CASE("a step that fails says which it is, keeps what stands above, and what stands below waits") {
  RecipeRunner runner;
  Job job = edit::add_part(Job{}, primitive("Bar", "box", {20, 10, 10}));
  job = *edit::add_step(job, 1, with(steps::plane_cut, {{"normal", Vec3(1, 0, 0)}}));
  job = *edit::add_step(job, 1, with(swell_kind, {{"refuse", true}, {"centre", Vec3(1, 1, 1)}}));
  job = *edit::add_step(job, 1, with(steps::mirror, {}));
  const auto result = runner.evaluate(job, 1, {}, false);
  REQUIRE(result->error);
  const Cast cast = cast_of(job, 1);
  CHECK(with_names(job, cast, *result->error).message() == "Bar: will not swell; switch it off");
  CHECK(cast.step(result->error_step) == job.at(1).recipe[1].id);
  CHECK(signed_volume(*result->mesh) == Approx(1000));
  CHECK(result->steps.size() == 1);
  const Job off = *edit::change_step(job, job.at(1).recipe[1].id, [](Step& s) { s.on = false; });
  CHECK_FALSE(runner.evaluate(off, 1, {}, false)->error);
  CHECK(volume(runner, off) == Approx(2000));
}

TEST_CASE("a kind known only here is evaluated, saved, opened, changed and refused like any other") {
  const TemporaryFolder folder;
  Job job = edit::add_part(Job{}, primitive("Bar", "box", {2, 2, 2}));
  StepId id = 0;
  job = *edit::add_step(job, 1, with(swell_kind, {{"factor", 1.0 / 3}, {"which", std::string("sharp:30")}, {"way", Vec3(0, 1, 1e-17)}}), &id);
  job = *edit::change_step(job, id, [](Step& s) { s.name = "Shrink"; });
  RecipeRunner runner;
  CHECK(volume(runner, job) == Approx(8.0 / 27).epsilon(1e-14));
  REQUIRE(save_job(job, folder / "trial.anvil"));
  const auto back = load_job(folder / "trial.anvil", trial_table);
  REQUIRE(back);
  CHECK(back->at(1) == job.at(1));
  CHECK(back->next_step == job.next_step);
  const auto unknown = load_job(folder / "trial.anvil");
  REQUIRE_FALSE(unknown);
  CHECK(unknown.issue().message().find("\"swell\"") != std::string::npos);
  const auto refused = edit::change_step(job, id, [](Step& s) { s.fields[0] = 11.0; });
  REQUIRE_FALSE(refused);
  CHECK(refused.issue().message() == "Shrink: Factor is 11, out of range; choose a value from 0.1 to 10");
  const std::size_t before = swollen;
  const auto first = runner.evaluate(job, 1, {}, false);
  CHECK(runner.evaluate(job, 1, {}, false) == first);
  CHECK(swollen == before);
}

TEST_CASE("what is kept stays within its bound, and what the job asks for now is never thrown out") {
  RecipeRunner runner;
  runner.set_limit(3'000'000);
  Job job = edit::add_part(Job{}, primitive("Ball", "sphere", {30, 96, 48}));
  job = *edit::add_step(job, 1, with(steps::plane_cut, {}));
  const StepId cut = job.at(1).recipe[0].id;
  for (int k = 0; k < 40; ++k) {
    job = *edit::change_step(job, cut, [&](Step& s) { s.fields[0] = Vec3(0, 0, 0.1 * k); });
    runner.begin(job);
    const auto result = runner.evaluate(job, 1, {}, true);
    runner.check(job, 1, {});
    CHECK(runner.evaluate(job, 1, {}, true) == result);
    CHECK(runner.memory().used < 3'000'000 + 6'000'000);
  }
  CHECK(runner.memory().limit == 3'000'000);
  const auto counts = runner.counts();
  CHECK(counts.steps == 40);
  runner.begin(Job{});
  runner.set_limit(0);
  CHECK(runner.memory().used == 0);
}

TEST_CASE("nothing changes shape or place by changing who belongs to whom, also under uneven scale and shear") {
  // Found by trying: a part scaled 2,1,1 with a tool turned by 45 degrees lost the tool's shear.
  std::mt19937 random(3);
  std::uniform_real_distribution<double> any(-1, 1);
  for (int i = 0; i < 300; ++i) {
    CAPTURE(i);
    auto scale = [&] { return (any(random) < 0 ? -1 : 1) * std::exp(any(random)); };
    auto placement = [&](bool even) {
      Placement p{30 * Vec3(any(random), any(random), any(random)), 180 * Vec3(any(random), any(random), any(random)), {1, 1, 1}};
      if (i % 7 == 0) p.angles.y() = any(random) < 0 ? 90 : -90 + 1e-9 * any(random);
      if (!even) p.scale = {scale(), scale(), scale()};
      return p;
    };
    Job job = edit::add_part(edit::add_part(edit::add_part(Job{}, primitive("Part", "box", {40, 40, 10})), primitive("Tool", "box", {10, 10, 30})),
                             primitive("Inner", "box", {4, 4, 4}));
    for (PartId id : {1u, 2u, 3u}) job = edit::change_part(job, id, [&](Part& p) { p.placement = placement(id == 3); });
    const Affine tool = job.world_of(2), inner = job.world_of(3);
    auto same = [&](const Job& now) {
      CHECK((now.world_of(2).matrix() - tool.matrix()).cwiseAbs().maxCoeff() < 1e-12 * 200);
      CHECK((now.world_of(3).matrix() - inner.matrix()).cwiseAbs().maxCoeff() < 1e-12 * 200);
    };
    job = *edit::combine(job, 2, {3}, Operation::unite);
    same(job);
    job = *edit::combine(job, 1, {2}, Operation::difference);
    same(job);
    job = *edit::fasten(job, 2, std::nullopt);
    same(job);
    job = *edit::fasten(job, 2, PartId{1});
    same(job);
    const TemporaryFolder folder;
    if (i % 20 == 0) {
      REQUIRE(save_job(job, folder / "a.anvil"));
      const auto back = load_job(folder / "a.anvil");
      REQUIRE(back);
      CHECK(back->at(2).placement == job.at(2).placement);
    }
    same(*edit::release_tool(job, 2));
    same(*edit::remove_parts(job, {1}));
  }
}

TEST_CASE("locked holds against every change but showing, hiding and copying") {
  Job job = drilled_half();
  const StepId combine = job.at(1).recipe[0].id, cut = job.at(1).recipe[1].id;
  const Job locked = edit::change_part(job, 1, [](Part& p) { p.locked = true; });
  const Job tool_locked = edit::change_part(job, 2, [](Part& p) { p.locked = true; });
  auto refused = [](const Result<Job>& result) {
    REQUIRE_FALSE(result);
    CHECK(result.issue().what == "is locked");
    CHECK(result.issue().remedy == "unlock it first");
  };
  refused(edit::remove_parts(locked, {1}));
  refused(edit::remove_parts(locked, {2}));
  refused(edit::remove_parts(tool_locked, {2}));
  refused(edit::release_tool(locked, 2));
  refused(edit::release_tool(tool_locked, 2));
  refused(edit::change_use(locked, locked.use_of(2)->id, [](ToolUse& u) { u.on = false; }));
  refused(edit::change_use(tool_locked, tool_locked.use_of(2)->id, [](ToolUse& u) { u.on = false; }));
  refused(edit::change_step(locked, cut, [](Step& s) { s.on = false; }));
  refused(edit::remove_step(locked, cut));
  refused(edit::remove_step(tool_locked, combine));
  refused(edit::add_step(locked, 1, new_step(steps::mirror)));
  refused(edit::move_uses(locked, {locked.use_of(2)->id}, {combine, 0, 0}));
  refused(edit::change_unlocked(locked, 1, [](Part& p) { p.name = "Other"; }));
  refused(edit::fasten(tool_locked, 2, std::nullopt));
  refused(edit::duplicate_parts(locked, {2}));
  const auto copy = edit::duplicate_parts(locked, {1});
  REQUIRE(copy);
  CHECK_FALSE(copy->parts.back()->locked);
}

TEST_CASE("taking a step out releases its tools where they stand") {
  Job job = drilled_half();
  job = edit::change_part(job, 1, [](Part& p) { p.placement = {{1, 2, 3}, {0, 0, 30}, {2, 1, 1}}; });
  const Affine before = job.world_of(2);
  const Job without = *edit::remove_step(job, job.at(1).recipe[0].id);
  CHECK(without.at(1).recipe.size() == 1);
  CHECK_FALSE(without.use_of(2));
  CHECK_FALSE(without.at(2).rides_on);
  CHECK((without.world_of(2).matrix() - before.matrix()).norm() < 1e-11);
}

TEST_CASE("a mend step mends piece by piece, keeps the pieces, and tells before and after; it runs again when its part changes") {
  // A block with a face missing, cut in two: the pieces touch wall to wall, which is no wall to take out.
  Job job;
  Part part;
  part.name = "Block";
  part.source = ImportedSource{shared(without_faces(stock("box", {4, 2, 2}), {1})), "block.obj"};
  PartId id = 0;
  job = edit::add_part(job, part, &id);
  Step mend = new_step(steps::mend);
  StepId mend_step = 0;
  job = *edit::add_step(job, id, mend, &mend_step);
  Step cut = new_step(steps::plane_cut);
  cut.fields[*field_place(cut.kind->fields, "keep")] = std::string("both");
  cut.fields[*field_place(cut.kind->fields, "normal")] = Vec3(1, 0, 0);
  job = *edit::add_step(job, id, cut);
  job = *edit::add_step(job, id, new_step(steps::mend));
  RecipeRunner runner;
  const EvaluatedPtr made = runner.evaluate(job, id, {}, false);
  REQUIRE_FALSE(made->error);
  CHECK(made->pieces == 2);
  CHECK(signed_volume(*made->mesh) == Approx(16));
  REQUIRE(made->steps.size() == 3);
  const Comparison& first = *made->steps[0].comparison;
  CHECK(first.before->holes() == 1);
  CHECK(first.after->sound);
  REQUIRE(first.repairs.size() == 1);
  CHECK(first.repairs[0].words == "close 1 hole, boundary 12 mm");
  CHECK(made->steps[1].comparison == nullptr);
  CHECK(made->steps[2].comparison->repairs.empty());
  CHECK(made->comparison() == made->steps[2].comparison.get());
  // With two faces missing it closes both.
  job = edit::change_part(job, id, [](Part& p) { p.source = ImportedSource{shared(without_faces(stock("box", {4, 2, 2}), {0, 1})), "block.obj"}; });
  const EvaluatedPtr again = runner.evaluate(job, id, {}, false);
  CHECK(signed_volume(*again->mesh) == Approx(16));
  CHECK(again->steps[0].comparison->before->holes() == 2);
}

TEST_CASE("a plane cut of a tool, and of what it cuts, are two steps that do not know of each other") {
  // The tool loses its upper half, so it drills only half as deep; the part is cut on its own afterwards.
  Part part;
  part.name = "Block";
  part.source = Primitive::of("box", {40, 40, 20});
  Job job = edit::add_part(Job{}, part);
  part.name = "Pin";
  part.source = Primitive::of("box", {10, 10, 20});
  job = edit::add_part(job, part);
  const PartId block = job.parts[0]->id, pin = job.parts[1]->id;
  job = *edit::combine(job, block, {pin}, Operation::difference);
  StepId of_pin = 0, of_block = 0;
  job = *edit::add_step(job, pin, new_step(steps::plane_cut), &of_pin);    // keeps what lies below z = 0
  job = *edit::add_step(job, block, new_step(steps::plane_cut), &of_block);
  job = *edit::change_step(job, of_block, [](Step& s) { s.fields[*field_place(s.kind->fields, "normal")] = Vec3(-1, 0, 0); });
  RecipeRunner runner;
  CHECK(volume(runner, job, pin) == Approx(10 * 10 * 10));
  CHECK(volume(runner, job, block) == Approx((40 * 40 * 20 - 10 * 10 * 10) / 2.0));
  const Job deep = *edit::change_step(job, of_pin, [](Step& s) { s.on = false; });
  CHECK(volume(runner, deep, block) == Approx((40 * 40 * 20 - 10 * 10 * 20) / 2.0));
  const Job whole = *edit::remove_step(deep, of_block);
  CHECK(volume(runner, whole, block) == Approx(40 * 40 * 20 - 10 * 10 * 20));
  CHECK(volume(runner, job, block) == Approx((40 * 40 * 20 - 10 * 10 * 10) / 2.0));  // the older version is as it was
}

TEST_CASE("an edit by hand finds its elements again when what it stands on changes, and says so where it cannot") {
  Job job = edit::add_part(Job{}, primitive("Block", "box", {20, 20, 20}));
  RecipeRunner runner;
  const auto chosen_in = [&](const char* text) {
    const EvaluatedPtr r = runner.evaluate(job, 1, {}, false);
    const Topology t(*r->mesh);
    return describe(*r->mesh, t, find_again(*r->mesh, t, text)->found);
  };
  job = *edit::add_step(job, 1, with(steps::delete_faces, {{"chosen", chosen_in("faces at 0,0,10")}}));
  job = *edit::add_step(job, 1, with(steps::fill, {{"chosen", chosen_in("edges at 10,0,10")}}));
  CHECK(volume(runner, job) == Approx(8000));
  CHECK(runner.check(job, 1, {})->sound);
  // The block grows: the lid is another place and the same face.
  job = edit::change_part(job, 1, [](Part& p) { p.source = Primitive::of("box", {60, 20, 20}); });
  const EvaluatedPtr wide = runner.evaluate(job, 1, {}, false);
  CHECK_FALSE(wide->error);
  CHECK(signed_volume(*wide->mesh) == Approx(24000));
  CHECK(runner.check(job, 1, {})->sound);
  // A plane cut before it takes the lid away: the step fails, names the place, and the part stands as far as it came.
  Step cut = with(steps::plane_cut, {{"point", Vec3(0, 0, -5)}});
  job = *edit::add_step(job, 1, cut);
  job = edit::change_part(job, 1, [](Part& p) { std::rotate(p.recipe.begin(), p.recipe.end() - 1, p.recipe.end()); });
  const EvaluatedPtr lidless = runner.evaluate(job, 1, {}, false);
  REQUIRE(lidless->error);
  CHECK(lidless->error->what.find("not there any more") != std::string::npos);
  REQUIRE(lidless->error->places.size() == 1);
  CHECK(lidless->error->places[0].isApprox(Vec3(0, 0, 10)));
  CHECK(signed_volume(*lidless->mesh) == Approx(60 * 20 * 5));
  // Two of three are still there: done with these, the third told with its place.
  Job three = edit::add_part(Job{}, primitive("Block", "box", {20, 20, 20}));
  three = *edit::add_step(three, 1, with(steps::turn_faces, {{"chosen", std::string("faces at 0,0,10; 10,0,0; 0,0,99")}}));
  const EvaluatedPtr two = runner.evaluate(three, 1, {}, false);
  REQUIRE_FALSE(two->error);
  std::vector<std::string> told;
  for (const auto& done : two->steps[0].report.done) told.push_back(std::string(done.what()) + " " + std::to_string(done.count));
  CHECK(told == std::vector<std::string>{"faces_turned 2", "elements_missing 1"});
}

TEST_CASE("every edit by hand runs as a step, on elements named by hand, and refuses what it cannot do") {
  const auto run_on = [](const StepKind& kind, std::initializer_list<std::pair<const char*, FieldValue>> values) {
    Job job = edit::add_part(Job{}, primitive("Block", "box", {2, 2, 2}));
    job = *edit::add_step(job, 1, with(kind, values));
    RecipeRunner runner;
    return runner.evaluate(job, 1, {}, false);
  };
  const auto text = [](const char* t) { return FieldValue(std::string(t)); };
  CHECK(run_on(steps::delete_faces, {{"chosen", text("faces at 0,0,1")}})->mesh->face_count() == 5);
  CHECK(signed_volume(*run_on(steps::turn_faces, {{"chosen", text("faces all")}})->mesh) == -8);
  CHECK(run_on(steps::triangulate_faces, {{"chosen", text("faces all")}})->mesh->face_count() == 12);
  CHECK(run_on(steps::bridge, {{"chosen", text("faces at 0,0,1; 0,0,-1")}})->mesh->face_count() == 8);
  CHECK(run_on(steps::weld_chosen, {{"chosen", text("vertices at 1,1,1; 1,1,-1")}})->mesh->positions.size() == 7);
  CHECK(run_on(steps::weld_chosen, {{"chosen", text("edges at 1,1,0")}, {"to", text("last")}})->mesh->positions.size() == 7);
  const EvaluatedPtr slid = run_on(steps::slide, {{"chosen", text("vertices at 1,1,1; 1,1,-1")}, {"share", 0.25}});
  CHECK(std::count(slid->mesh->positions.begin(), slid->mesh->positions.end(), Vec3(1, 1, 0.5)) == 1);
  CHECK(run_on(steps::split_edges, {{"chosen", text("edges at 1,1,0")}, {"parts", 4.0}})->mesh->positions.size() == 11);
  CHECK(run_on(steps::connect, {{"chosen", text("vertices at 1,1,1; -1,-1,1")}})->mesh->face_count() == 7);
  CHECK(run_on(steps::take_out, {{"chosen", text("edges at 1,0,1")}})->mesh->face_count() == 5);
  CHECK(run_on(steps::take_out, {{"chosen", text("vertices at 1,1,1")}})->mesh->positions.size() == 7);
  for (const auto& [kind, chosen] : {std::pair(&steps::fill, "edges at 1,1,0"), {&steps::fill_between, "vertices at 1,1,1; -1,-1,1; 1,-1,1"}, {&steps::connect, "vertices at 1,1,1; 1,1,-1"},
                                     {&steps::slide, "vertices at 1,1,1; -1,-1,-1"}, {&steps::weld_chosen, "vertices at 1,1,1"}, {&steps::delete_faces, "faces"},
                                     {&steps::bridge, "edges at 1,1,0; 1,-1,0"}, {&steps::delete_faces, "nonsense"}}) {
    INFO(kind->key << ' ' << chosen);
    const EvaluatedPtr refused = run_on(*kind, {{"chosen", text(chosen)}});
    REQUIRE(refused->error);
    CHECK_FALSE(refused->error->remedy.empty());
    CHECK(refused->error->subject == cast_token(0));
    CHECK(signed_volume(*refused->mesh) == 8);
  }
}

TEST_CASE("a face detached into a part of its own is joined back and the part is whole") {
  Job job = edit::add_part(Job{}, primitive("Block", "box", {20, 20, 20}));
  RecipeRunner runner;
  const EvaluatedPtr whole = runner.evaluate(job, 1, {}, false);
  const Topology t(*whole->mesh);
  const Elements lid = find_again(*whole->mesh, t, "faces at 0,0,10")->found;
  PartId piece = 0;
  const auto detached = edit::detach_faces(job, 1, *whole, lid, &piece);
  REQUIRE(detached);
  job = *detached;
  CHECK(runner.evaluate(job, 1, {}, false)->mesh->face_count() == 5);
  CHECK(runner.evaluate(job, piece, {}, false)->mesh->face_count() == 1);
  job = *edit::join(job, 1, {piece});
  CHECK(volume(runner, job) == Approx(8000));
  CHECK(runner.check(job, 1, {})->sound);
  CHECK(runner.check(job, 1, {})->vertices == 8);
  // All faces, or none, make no sense.
  CHECK_FALSE(edit::detach_faces(job, 1, *whole, {ElementKind::faces, {}}));
  CHECK_FALSE(edit::detach_faces(job, 1, *whole, {ElementKind::faces, {0, 1, 2, 3, 4, 5}}));
}

TEST_CASE("a mend step bound to some faces leaves the others, and its verdict is about the whole") {
  // Two holes on opposite sides of a ball; only the one is to be closed.
  Job job = edit::add_part(Job{}, primitive("Ball", "icosphere", {20, 2}));
  RecipeRunner runner;
  const EvaluatedPtr ball = runner.evaluate(job, 1, {}, false);
  const Topology t(*ball->mesh);
  Index opposite = 0;
  for (Index f = 0; f < ball->mesh->face_count(); ++f)
    if ((place_of(*ball->mesh, t, ElementKind::faces, f) + place_of(*ball->mesh, t, ElementKind::faces, 0)).norm() < 1e-9) opposite = f;
  REQUIRE(opposite != 0);
  const auto named = [&](Elements elements) { return FieldValue(describe(*ball->mesh, t, elements)); };
  const auto [a, b] = std::pair(ball->mesh->face(0)[0], ball->mesh->face(0)[1]);
  job = *edit::add_step(job, 1, with(steps::delete_faces, {{"chosen", named({ElementKind::faces, {0, opposite}})}}));
  job = *edit::add_step(job, 1, with(steps::mend, {{"only", named({ElementKind::edges, {t.edge_between(a, b)}})}}));
  const EvaluatedPtr half = runner.evaluate(job, 1, {}, false);
  REQUIRE_FALSE(half->error);
  CHECK(half->mesh->face_count() == ball->mesh->face_count() - 1);
  const ReportPtr report = runner.check(job, 1, {});
  CHECK_FALSE(report->sound);
  CHECK(report->holes() == 1);
  CHECK(half->steps[1].comparison->before->holes() == 2);
  CHECK(half->steps[1].comparison->after->holes() == 1);
  // Nothing named: all of it.
  job = edit::change_part(job, 1, [](Part& p) { p.recipe[1].fields = new_step(steps::mend).fields; });
  CHECK(runner.check(job, 1, {})->sound);
  // Something that is not there.
  job = *edit::change_step(job, job.at(1).recipe[1].id, [](Step& s) { s.fields[*field_place(s.kind->fields, "only")] = std::string("faces at 0,0,99"); });
  REQUIRE(runner.evaluate(job, 1, {}, false)->error);
}

TEST_CASE("steps that repeat refuse what would fill the memory, and say what to do") {
  const auto mesh = shared(stock("sphere", {20, 64, 32}));
  const auto run = [&](const char* key, std::vector<std::pair<const char*, FieldValue>> values) {
    const StepKind* kind = find_step_kind(key);
    Step step = new_step(*kind);
    for (auto& [field, value] : values) set_field(step, field, std::move(value));
    StepInput input{mesh, "ball", {}, step.values(), [](std::size_t) { return true; }};
    if (kind->tools != ToolRule::none) input.tools.push_back({mesh, Affine::Identity(), Operation::difference, "tool"});
    return kind->run(input);
  };
  for (const Result<StepOutput>& result : {run("array", {{"count", Vec3(100, 100, 100)}}), run("array", {{"count", Vec3(100, 100, 1)}}), run("ring", {{"count", 9000.0}}),
                                           run("along-edges", {{"edges", std::string("all")}, {"distance", 1e-6}}), run("scatter", {{"count", 0.0}, {"distance", 1e-4}})}) {
    REQUIRE_FALSE(result.ok());
    CHECK(result.issue().what.starts_with("would be more than 20"));
    CHECK(!result.issue().remedy.empty());
  }
}

TEST_CASE("rows and rings of tools take all of them to each place, each with what it is") {
  const auto slab = shared(stock("box", {200, 60, 10}));
  const auto pin = shared(stock("cylinder", {4, 30, 24})), cube = shared(stock("box", {6, 6, 30}));
  const auto run = [&](const StepKind& kind, std::initializer_list<std::pair<const char*, FieldValue>> values) {
    const Step step = with(kind, values);
    StepInput input{slab, "slab", {}, step.values(), [](std::size_t) { return true; }};
    input.tools.push_back({pin, Affine(Eigen::Translation3d(-80, -15, 0)), Operation::difference, "pin"});
    input.tools.push_back({cube, Affine(Eigen::Translation3d(-80, 15, 0)), Operation::difference, "cube"});
    return *kind.run(input);
  };
  const double holes = polygon_area(24, 2) * 10 + 6 * 6 * 10;
  const StepOutput rows = run(steps::array, {{"count", Vec3(5, 1, 1)}, {"spacing", Vec3(20, 0, 0)}});
  CHECK(signed_volume(rows.mesh) == Approx(200 * 60 * 10 - 5 * holes).epsilon(1e-9));
  std::array<int, 3> faces{};
  for (Index input : rows.sources.input) ++faces.at(input);
  CHECK(faces[1] == 5 * 24);
  CHECK(faces[2] == 5 * 4);
  const StepOutput turned = run(steps::ring, {{"count", 2.0}, {"angle", 180.0}});
  CHECK(signed_volume(turned.mesh) == Approx(200 * 60 * 10 - 2 * holes).epsilon(1e-9));
  const StepOutput kept = run(steps::array, {{"count", Vec3(5, 1, 1)}, {"spacing", Vec3(20, 0, 0)}, {"operation", std::string("intersection")}});
  CHECK(signed_volume(kept.mesh) == Approx(5 * holes).epsilon(1e-9));
}

TEST_CASE("what opens trays refuses one that takes something away, and says what to do") {
  const auto box = shared(stock("box", {10, 10, 10}));
  for (const StepKind* kind : {&steps::voxel_combine, &steps::recast, &steps::array, &steps::ring, &steps::scatter}) {
    FieldValues values = initial_values(kind->fields);
    if (const auto count = field_place(kind->fields, "count"); count && kind == &steps::scatter) values[*count] = 5.0;  // of a hundred each crosses most others
    StepInput::Tool tray{nullptr, Affine::Identity(), Operation::unite, "tray", {}};
    for (const Operation operation : {Operation::difference, Operation::difference}) tray.tray.push_back({box, Affine(Eigen::Translation3d(3, 3, 3)), operation, "inner", {}});
    StepInput input{box, "box", {tray}, {kind->fields, values}, [](std::size_t) { return true; }, nullptr, {}};
    const Result<StepOutput> refused = kind->run(input);
    REQUIRE_FALSE(refused);
    CHECK(refused.issue().message().find("inside a tray") != std::string::npos);
    input.tools[0].tray[1].operation = Operation::unite;
    CHECK(kind->run(input).ok());
  }
}
