// SPDX-License-Identifier: GPL-3.0-or-later
// Random sequences of all commands that change a job: whatever they lead to is whole, can be saved, and gives the same results
// with and without what is kept of earlier ones.
#include <random>
#include <set>

#include "job/edit.h"
#include "job/history.h"
#include "job/job_file.h"
#include "job/job_json.h"
#include "job/template.h"
#include "tests/support/meshes.h"
#include "tests/support/schema.h"

using namespace anvil;
using namespace anvil::test;

namespace {

class Commands {
 public:
  explicit Commands(unsigned seed) : random_(seed) {
    Job job;
    for (int k = 0; k < 5; ++k) {
      Part part;
      part.name = "Box";
      part.source = Primitive::of("box", {10.0 + k, 8, 6});
      part.placement.position = {3.0 * k, 2.0 * k, 1.0 * k};
      part.placement.angles = {0, 0, 15.0 * k};
      job = edit::add_part(job, part);
    }
    history_ = History(job);
  }

  /// One command. @return what it was, and whether it may move parts; nothing when it was refused
  void one() {
    const Job& job = *history_.committed();
    bool moves = false;
    Result<Job> next = command(job, moves);
    if (!next) {
      ++refused;
      REQUIRE_FALSE(next.issue().what.empty());
      REQUIRE_FALSE(next.issue().remedy.empty());
      return;
    }
    ++done;
    check_whole(*next);
    if (!moves) check_unmoved(job, *next);
    history_.commit("command", std::move(*next));
  }

  void finish() {
    const TemporaryFolder folder;
    // Undone to the beginning and done again it is the very same job, byte for byte.
    REQUIRE(save_job(*history_.committed(), folder / "job.anvil"));
    const Job last = *history_.committed();
    while (history_.can_undo()) history_.undo();
    REQUIRE(history_.committed()->parts.size() == 5);
    while (history_.can_redo()) history_.redo();
    REQUIRE(save_job(*history_.committed(), folder / "again.anvil"));
    REQUIRE((read_text(folder / "job.anvil") == read_text(folder / "again.anvil")));
    REQUIRE(against_schema(job_to_json(last, [](const auto&) { return "meshes/1.ply"; })) == "");
    const Result<Job> opened = load_job(folder / "job.anvil");
    REQUIRE(opened);
    REQUIRE(save_job(*opened, folder / "opened.anvil"));
    REQUIRE((read_text(folder / "job.anvil") == read_text(folder / "opened.anvil")));
    // Results: by the runner that has seen every version, by a fresh one, and after reopening.
    RecipeRunner fresh, reopened;
    for (const PartPtr& part : last.parts) {
      const EvaluatedPtr a = runner_.evaluate(last, part->id, {}, false), b = fresh.evaluate(last, part->id, {}, false), c = reopened.evaluate(*opened, part->id, {}, false);
      REQUIRE(a->error.has_value() == b->error.has_value());
      REQUIRE(a->mesh->positions == b->mesh->positions);
      REQUIRE(a->mesh->corners == b->mesh->corners);
      REQUIRE(c->mesh->positions == b->mesh->positions);
      const Cast cast = cast_of(last, part->id);
      REQUIRE(a->cast_parts == cast.part_count());
      REQUIRE(a->cast_steps == cast.step_count());
      for (const FaceOrigin& origin : a->mesh->origins) REQUIRE(origin.part < cast.part_count());
    }
  }

  std::size_t done = 0, refused = 0;

 private:
  std::size_t below(std::size_t n) { return n == 0 ? 0 : std::uniform_int_distribution<std::size_t>(0, n - 1)(random_); }
  double number(double from, double to) { return std::uniform_real_distribution<double>(from, to)(random_); }
  PartId part(const Job& job) { return job.parts[below(job.parts.size())]->id; }
  std::vector<PartId> some(const Job& job, std::size_t max) {
    std::vector<PartId> ids;
    for (std::size_t k = 1 + below(max); k > 0; --k)
      if (const PartId id = part(job); std::find(ids.begin(), ids.end(), id) == ids.end()) ids.push_back(id);
    return ids;
  }
  StepId step(const Job& job) {
    std::vector<StepId> steps;
    for (const PartPtr& p : job.parts)
      for (const Step& s : p->recipe) steps.push_back(s.id);
    return steps.empty() ? 0 : steps[below(steps.size())];
  }
  static void collect(const std::vector<ToolUse>& rows, std::vector<UseId>& ids) {
    for (const ToolUse& row : rows) {
      ids.push_back(row.id);
      collect(row.inside, ids);
    }
  }
  UseId use(const Job& job) {
    std::vector<UseId> uses;
    for (const PartPtr& p : job.parts)
      for (const Step& s : p->recipe) collect(s.tools, uses);
    return uses.empty() ? 0 : uses[below(uses.size())];
  }
  SetId set(const Job& job) { return job.sets.empty() ? 0 : job.sets[below(job.sets.size())].id; }
  Operation operation() {
    static constexpr std::array usual{Operation::unite, Operation::difference, Operation::intersection};
    return usual[below(usual.size())];
  }
  std::shared_ptr<const Mesh> result(const Job& job, PartId id) {
    const EvaluatedPtr made = runner_.evaluate(job, id, {}, false);
    if (made->error || made->mesh->empty()) return std::make_shared<const Mesh>(cube());
    auto mesh = std::make_shared<Mesh>(*made->mesh);
    mesh->origins.clear();
    return mesh;
  }

  Result<Job> command(const Job& job, bool& moves) {
    switch (below(27)) {
      case 0:
      case 1:
      case 2: return edit::combine(job, part(job), some(job, 3), operation());
      case 3: return edit::add_tools(job, step(job), some(job, 2), operation(), below(2) == 0 ? 0 : use(job));
      case 4: {
        std::vector<UseId> uses{use(job)};
        if (below(2) == 0)
          if (const UseId other = use(job); other != uses[0]) uses.push_back(other);
        return edit::add_tray(job, uses, "Tray");
      }
      case 5:
      case 6: return edit::move_uses(job, {use(job)}, {step(job), below(2) == 0 ? 0 : use(job), below(4)});
      case 7: return edit::dissolve_tray(job, use(job));
      case 8: return edit::change_use(job, use(job), [&, o = operation(), on = below(4) != 0](ToolUse& u) { u.operation = o, u.on = on; });
      case 9: return edit::release_use(job, use(job));
      case 10: {
        const UseId id = use(job);
        const auto found = job.find_use(id);
        return edit::keep_tool(job, id, found && !found.use->is_tray() && found.use->is_live() ? result(job, found.use->tool) : nullptr);
      }
      case 11: return edit::fasten(job, part(job), below(3) == 0 ? std::nullopt : std::optional(part(job)));
      case 12: return job.parts.size() > 9 ? edit::remove_parts(job, some(job, 2)) : edit::duplicate_parts(job, some(job, 2));
      case 13: return job.parts.size() < 4 ? edit::duplicate_parts(job, some(job, 2)) : edit::remove_parts(job, some(job, 1));
      case 14: return edit::swap_roles(job, use(job));
      case 15: return edit::add_step(job, part(job), new_step(steps::plane_cut), nullptr, {step(job)});
      case 16: return edit::move_step(job, step(job), below(4));
      case 17: return edit::copy_steps(job, {step(job)}, part(job), {below(2) == 0 ? 0 : step(job)});
      case 18: return edit::remove_step(job, step(job));
      case 19: {
        const PartId id = part(job);
        return edit::add_part_from(job, id, below(2) == 0 ? nullptr : result(job, id));
      }
      case 20: {
        const PartId id = part(job);
        const auto* from = std::get_if<PartSource>(&job.at(id).source);
        return edit::keep_source(job, id, from != nullptr && from->kept == nullptr ? result(job, id) : nullptr);
      }
      case 21: {
        const PartId id = part(job);
        return edit::forge(job, id, result(job, id));
      }
      case 22: return edit::unforge(job, part(job));
      case 23: return below(3) == 0 ? edit::remove_set(job, set(job)) : edit::add_set(job, "Set", some(job, 3));
      case 24: return below(2) == 0 ? edit::add_set_tray(job, step(job), set(job), operation())
                                    : edit::change_set(job, set(job), [&, ids = some(job, 3)](PartSet& s) { s.parts = ids; });
      case 25: return edit::add_template(job, part(job), template_of(job, {step(job), step(job)}, "Kept"), {step(job)});
      default: {
        moves = true;
        const Vec3 position(number(-10, 10), number(-10, 10), number(-10, 10));
        const Vec3 angles(number(-180, 180), number(-180, 180), number(-180, 180));
        return edit::change_unlocked(job, part(job), [&](Part& p) { p.placement.position = position, p.placement.angles = angles; });
      }
    }
  }

  static void check_whole(const Job& job) {
    std::set<PartId> parts;
    std::set<StepId> steps;
    std::vector<UseId> uses;
    for (const PartPtr& p : job.parts) {
      REQUIRE(parts.insert(p->id).second);
      REQUIRE(p->id < job.next_id);
      if (p->rides_on) REQUIRE(job.find(*p->rides_on) != nullptr);
      for (PartId needed : job.needs_of(p->id)) {
        REQUIRE(job.find(needed) != nullptr);
        REQUIRE_FALSE(job.depends_on(needed, p->id));
      }
      for (const Step& s : p->recipe) {
        REQUIRE(steps.insert(s.id).second);
        REQUIRE(s.id < job.next_step);
        collect(s.tools, uses);
      }
      std::size_t depth = 0;
      for (const Part* at = p.get(); at->rides_on; at = job.find(*at->rides_on)) REQUIRE(++depth <= job.parts.size());
    }
    REQUIRE(std::set<UseId>(uses.begin(), uses.end()).size() == uses.size());
    for (UseId id : uses) REQUIRE(id < job.next_use);
  }

  /// Who belongs to whom never moves anything: by no more than 1e-12 of the size.
  static void check_unmoved(const Job& before, const Job& after) {
    for (const PartPtr& p : after.parts) {
      if (before.find(p->id) == nullptr) continue;
      const Affine was = before.world_of(p->id), is = after.world_of(p->id);
      for (int corner = 0; corner < 8; ++corner) {
        const Vec3 at(corner & 1 ? 7 : -7, corner & 2 ? 4 : -4, corner & 4 ? 3 : -3);
        REQUIRE((was * at - is * at).norm() <= 1e-12 * 100);
      }
    }
  }

  std::mt19937 random_;
  History history_;
  RecipeRunner runner_;
};

void run(unsigned from, unsigned count) {
  std::size_t done = 0, refused = 0;
  for (unsigned seed = from; seed < from + count; ++seed) {
    INFO("seed " << seed);
    Commands commands(seed);
    for (int k = 0; k < 12; ++k) commands.one();
    commands.finish();
    done += commands.done;
    refused += commands.refused;
  }
  // Sequences that are nearly all refused would say little.
  CHECK(2 * done > refused);
}

}  // namespace

TEST_CASE("random sequences of commands keep the job whole, move nothing unasked, and come out the same again") { run(1, 80); }

// job_tests "[thousand]": not run by default.
TEST_CASE("a thousand random sequences of commands", "[.][thousand]") { run(1000, 1000); }
