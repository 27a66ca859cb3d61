// SPDX-License-Identifier: GPL-3.0-or-later
#include <fstream>
#include <random>

#include "job/edit.h"
#include "job/recipe_runner.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

/// A plate with 30 pins through it, mended and cut: enough to be worth keeping, with notes and a comparison.
Job long_job() {
  Part plate;
  plate.name = "Plate";
  plate.source = Primitive::of("box", {200, 100, 10});
  Job job = edit::add_part(Job{}, plate);
  std::vector<PartId> pins;
  for (int k = 0; k < 30; ++k) {
    Part pin;
    pin.name = "Pin";
    pin.source = Primitive::of("cylinder", {8, 30, 64});
    pin.placement.position = {-84.0 + 12 * (k % 15), k < 15 ? -20.0 : 20.0, 0};
    PartId id = 0;
    job = edit::add_part(job, pin, &id);
    pins.push_back(id);
  }
  job = *edit::combine(job, 1, pins, Operation::difference);
  return *edit::add_step(job, 1, new_step(steps::mend));
}

std::filesystem::path the_file(const TemporaryFolder& folder) {
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder / ""))
    if (entry.path().extension() == ".result") return entry.path();
  return {};
}

}  // namespace

TEST_CASE("a result that is kept comes back as it was, without any step being computed") {
  const TemporaryFolder folder;
  const Job job = long_job();
  RecipeRunner first;
  first.set_store(std::make_shared<ResultStore>(folder / "", "one", 1 << 28));
  const EvaluatedPtr made = first.evaluate(job, 1, {}, false);
  const ReportPtr report = first.check(job, 1, {});
  first.keep(job, 1);
  REQUIRE(!the_file(folder).empty());
  RecipeRunner second;
  second.set_store(std::make_shared<ResultStore>(folder / "", "one", 1 << 28));
  const EvaluatedPtr back = second.evaluate(job, 1, {}, true);
  CHECK(second.counts().steps == 0);
  CHECK(second.counts().sources == 0);
  CHECK(back->drawable != nullptr);
  CHECK(back->mesh->positions == made->mesh->positions);
  CHECK(back->mesh->corners == made->mesh->corners);
  CHECK(back->mesh->origins == made->mesh->origins);
  CHECK(back->fresh_edges == made->fresh_edges);
  CHECK(back->cast_parts == made->cast_parts);
  REQUIRE(back->steps.size() == made->steps.size());
  for (std::size_t k = 0; k < back->steps.size(); ++k) {
    REQUIRE(back->steps[k].report.done.size() == made->steps[k].report.done.size());
    for (std::size_t n = 0; n < back->steps[k].report.done.size(); ++n)
      CHECK(in_words(back->steps[k].report.done[n]) == in_words(made->steps[k].report.done[n]));
    CHECK((back->steps[k].comparison == nullptr) == (made->steps[k].comparison == nullptr));
  }
  REQUIRE(back->comparison() != nullptr);
  CHECK(back->comparison()->deviation.max() == made->comparison()->deviation.max());
  CHECK(verdict(*back->comparison()->after) == verdict(*made->comparison()->after));
  const ReportPtr known = second.known_report(job, 1);
  REQUIRE(known != nullptr);
  CHECK(verdict(*known) == verdict(*report));
  CHECK(known->volume == report->volume);
  CHECK(known->families.size() == report->families.size());
  // The same bytes again, so that nothing was left out.
  CHECK(result_to_bytes(*back, known) == result_to_bytes(*made, report));
  // Another program's results are not used, and go.
  RecipeRunner third;
  third.set_store(std::make_shared<ResultStore>(folder / "", "another", 1 << 28));
  (void)third.evaluate(job, 1, {}, false);
  CHECK(third.counts().steps == 2);
  CHECK(the_file(folder).empty());
}

TEST_CASE("kept results that are damaged anywhere are computed again") {
  const Job job = long_job();
  RecipeRunner runner;
  const EvaluatedPtr made = runner.evaluate(job, 1, {}, false);
  const std::string whole = result_to_bytes(*made, runner.check(job, 1, {}));
  REQUIRE(result_from_bytes(whole));
  std::mt19937 random(5);
  for (int trial = 0; trial < 300; ++trial) {
    std::string bad = whole;
    if (trial % 3 == 0)
      bad.resize(random() % bad.size());
    else
      bad[random() % bad.size()] ^= static_cast<char>(1 << random() % 8);
    CHECK(!result_from_bytes(bad));
  }
  const TemporaryFolder folder;
  auto store = std::make_shared<ResultStore>(folder / "", "one", 1 << 28);
  RecipeRunner first;
  first.set_store(store);
  (void)first.evaluate(job, 1, {}, false);
  first.keep(job, 1);
  const std::filesystem::path file = the_file(folder);
  std::filesystem::resize_file(file, std::filesystem::file_size(file) / 2);
  RecipeRunner second;
  second.set_store(store);
  CHECK(second.evaluate(job, 1, {}, false)->mesh->positions == made->mesh->positions);
  CHECK(second.counts().steps == 2);
  CHECK(!std::filesystem::exists(file));
}

TEST_CASE("kept results stay within their bound, the oldest go") {
  const TemporaryFolder folder;
  Evaluated one;
  Mesh mesh;
  for (int k = 0; k < 1000; ++k) mesh.add_vertex(Vec3::Zero());
  one.mesh = std::make_shared<const Mesh>(mesh);
  ResultStore store(folder / "", "one", 100'000);  // each is about 24 KB
  std::vector<ContentKey> keys;
  for (int k = 0; k < 8; ++k) {
    keys.push_back(ContentKey{}.with(std::to_string(k)));
    store.save(keys.back(), one, nullptr);
    CHECK(store.bytes() <= 100'000);
  }
  CHECK(store.has(keys.back()));
  CHECK_FALSE(store.has(keys.front()));
  store.clear();
  CHECK(store.bytes() == 0);
}
