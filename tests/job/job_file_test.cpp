// SPDX-License-Identifier: GPL-3.0-or-later
#include <zip.h>

#include <nlohmann/json.hpp>
#include <random>

#include "core/io/mesh_file.h"
#include "core/io/package.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "job/template.h"
#include "job/job_json.h"
#include "job/recipe_runner.h"
#include "tests/support/meshes.h"
#include "tests/support/schema.h"

using namespace anvil;
using namespace anvil::test;

namespace {

Job rich_job() {
  Job job;
  job.title = "Tide gauge \"é\"";
  job.unit = Unit::inch;
  Part plate, drill, scan;
  plate.name = "Plate";
  plate.source = Primitive::of("box", {40.1, 1.0 / 3, 10});
  plate.placement = {{0.1, 0.2, 1e-17}, {30, 45, 60}, {1, -2, 0.5}};
  plate.tint = 0xA1267E;
  drill.name = "Drill";
  drill.source = Primitive::of("cylinder");
  drill.visible = false;
  scan.name = "Scan";
  scan.source = ImportedSource{shared(placed(stock("icosphere", {3, 2}), {1, 2, 3}, {4, 5, 6})),
                               "scan.stl"};
  scan.locked = true;
  job = edit::add_part(edit::add_part(edit::add_part(job, plate), drill), scan);
  return *edit::combine(job, 1, {2}, Operation::intersection);
}

/// Writes a ZIP with the given job.json.
void write_archive(const std::filesystem::path& path, const std::string& json) {
  int error = 0;
  zip_t* zip = zip_open(path.c_str(), ZIP_CREATE | ZIP_TRUNCATE, &error);
  zip_file_add(zip, "job.json", zip_source_buffer(zip, json.data(), json.size(), 0), ZIP_FL_OVERWRITE);
  REQUIRE(zip_close(zip) == 0);
}

}  // namespace

TEST_CASE("a job is read back exactly as it was saved, meshes bit for bit") {
  const TemporaryFolder folder;
  const Job job = rich_job();
  REQUIRE(save_job(job, folder / "gauge.anvil"));
  const auto back = load_job(folder / "gauge.anvil");
  REQUIRE(back);
  CHECK(back->title == job.title);
  CHECK(back->unit == job.unit);
  CHECK(back->next_id == job.next_id);
  REQUIRE(back->parts.size() == 3);
  for (std::size_t i = 0; i < 3; ++i) {
    Part a = *job.parts[i], b = *back->parts[i];
    if (auto* imported = std::get_if<ImportedSource>(&a.source)) {
      const Mesh &m = *imported->mesh, &n = *std::get<ImportedSource>(b.source).mesh;
      CHECK(m.positions == n.positions);
      CHECK(m.corners == n.corners);
      a.source = b.source;
    }
    CHECK(a == b);
  }
}

TEST_CASE("the same job gives the same bytes") {
  const TemporaryFolder folder;
  REQUIRE(save_job(rich_job(), folder / "a.anvil"));
  REQUIRE(save_job(rich_job(), folder / "b.anvil"));
  auto bytes = [&](const char* name) {
    std::ifstream in(folder / name, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(in), {});
  };
  CHECK(bytes("a.anvil") == bytes("b.anvil"));
}

TEST_CASE("damaged job files are refused with the place and a remedy") {
  const TemporaryFolder folder;
  auto message = [&](const std::string& json) {
    write_archive(folder / "bad.anvil", json);
    const auto result = load_job(folder / "bad.anvil");
    REQUIRE_FALSE(result);
    CHECK_FALSE(result.issue().remedy.empty());
    return result.issue().what;
  };
  const std::string part =
      R"({"id":1,"name":"A","source":{"primitive":"box","dimensions":{"x":1,"y":1,"z":1}},)"
      R"("placement":{"position":[0,0,0],"angles":[0,0,0],"scale":[1,1,1]},"visible":true,"locked":false,"recipe":[)";
  auto job = [&](const std::string& parts) { return R"({"version":1,"title":"t","parts":[)" + parts + "]}"; };
  CHECK(message("{").find("job.json") != std::string::npos);
  CHECK(message(R"({"version":99,"title":"t","parts":[]})").find("version 99") != std::string::npos);
  CHECK(message(job("{}")).find("part 1 has no \"id\"") != std::string::npos);
  CHECK(message(job(part + "]}," + part + "]}")).find("used twice") != std::string::npos);
  const std::string self =
      R"({"step":"combine","on":true,"tools":[{"tool":1,"operation":"union","on":true}]})";
  CHECK(message(job(part + self + "]}")).find("made from itself") != std::string::npos);
  const std::string lost =
      R"({"step":"combine","on":true,"tools":[{"tool":7,"operation":"union","on":true}]})";
  CHECK(message(job(part + lost + "]}")).find("part 7") != std::string::npos);
  CHECK(message(job(part + R"({"step":"melt"}]})")).find("melt") != std::string::npos);
  std::string flat = part + "]}";
  flat.replace(flat.find("[1,1,1]"), 7, "[1,0,1]");
  CHECK(message(job(flat)).find("scale of zero") != std::string::npos);
  std::string huge = part + "]}";
  huge.replace(huge.find("\"x\":1"), 5, "\"x\":-4");
  CHECK(message(job(huge)).find("Width is -4") != std::string::npos);
  write_text(folder / "text.anvil", "hello");
  CHECK(load_job(folder / "text.anvil").issue().what.find("not a ZIP") != std::string::npos);
  CHECK_FALSE(load_job(folder / "missing.anvil"));
}

TEST_CASE("numbers that no double holds, and brackets beyond any depth, are refused and end nothing") {
  const TemporaryFolder folder;
  const auto what = [&](const std::string& json) {
    write_archive(folder / "bad.anvil", json);
    const auto result = load_job(folder / "bad.anvil");
    REQUIRE_FALSE(result);
    CHECK_FALSE(result.issue().remedy.empty());
    (void)salvage_job(folder / "bad.anvil");
    return result.issue().what;
  };
  const std::string head = R"({"version":2,"title":"t","more":)";
  for (const char* number : {"1e999", "-1e999", "1e99999999999999999999"}) CHECK(what(head + number + R"(,"parts":[]})").find("job.json") != std::string::npos);
  CHECK(what(head + R"(1e999,"parts":[]})").find("exception") == std::string::npos);
  for (const std::size_t depth : {std::size_t{5000}, std::size_t{450'000}}) {
    CHECK(what(head + std::string(depth, '[') + std::string(depth, ']') + R"(,"parts":[]})").find("deep") != std::string::npos);
    CHECK(what(head + std::string(depth, '[')).find("deep") != std::string::npos);
    CHECK_FALSE(template_from_text(std::string(depth, '['), "t"));
  }
  CHECK_FALSE(template_from_text(R"({"template":1,"name":"t","steps":[1e999]})", "t"));
  // Brackets within a text are none.
  CHECK(load_job((write_archive(folder / "good.anvil", R"({"version":2,"title":")" + std::string(9000, '[') + R"(","parts":[],"unit":"mm"})"), folder / "good.anvil"))
            .ok());
  // Parts that are each made of the one before.
  std::string parts;
  for (int k = 1; k <= 3000; ++k)
    parts += std::string(k > 1 ? "," : "") + R"({"id":)" + std::to_string(k) + R"(,"name":"p","source":)" +
             (k > 1 ? R"({"part":)" + std::to_string(k - 1) + "}" : R"({"primitive":"box","dimensions":{"x":1,"y":1,"z":1}})") +
             R"(,"placement":{"position":[0,0,0],"angles":[0,0,0],"scale":[1,1,1]},"visible":true,"locked":false,"recipe":[]})";
  CHECK(what(R"({"version":2,"title":"t","unit":"mm","parts":[)" + parts + "]}").find("deep") != std::string::npos);
}

TEST_CASE("a ZIP that unpacks to absurd size is refused unopened") {
  const TemporaryFolder folder;
  write_archive(folder / "bomb.anvil", std::string(std::size_t{1} << 28, ' '));
  const auto result = load_job(folder / "bomb.anvil");
  REQUIRE_FALSE(result);
  CHECK(result.issue().what.find("unpacks to") != std::string::npos);
}

TEST_CASE("units convert on import, and 3MF brings its own") {
  const TemporaryFolder folder;
  REQUIRE(write_mesh(cube(2), folder / "cube.stl"));
  REQUIRE(write_mesh(cube(2), folder / "cube.3mf"));
  auto width = [&](const char* name, Unit unit) {
    const auto part = import_part(folder / name, unit);
    REQUIRE(part);
    CHECK(part->name == "cube");
    return bounds(*std::get<ImportedSource>(part->source).mesh).size().x();
  };
  CHECK(width("cube.stl", Unit::millimetre) == 2);
  CHECK(width("cube.stl", Unit::inch) == Approx(50.8));
  CHECK(width("cube.stl", Unit::metre) == Approx(2000));
  CHECK(width("cube.3mf", Unit::inch) == Approx(2));
  CHECK(needs_unit("a.stl"));
  CHECK_FALSE(needs_unit("a.3mf"));
}

TEST_CASE("parts are put together in the job's space, mirrored ones turned right") {
  const Mesh all =
      placed_together({{shared(cube(2)), Affine::Identity()},
                       {shared(cube(2)), Placement{{10, 0, 0}, {0, 0, 0}, {-1, 1, 1}}.matrix()}});
  CHECK(signed_volume(all) == Approx(16));
  CHECK(bounds(all).hi.x() == 11);
}

TEST_CASE("saving into a folder that is not there leaves nothing behind") {
  const TemporaryFolder folder;
  CHECK_FALSE(save_job(rich_job(), folder / "no/where.anvil"));
  REQUIRE(save_job(rich_job(), folder / "a.anvil"));
  CHECK(folder.file_count() == 1);
}

TEST_CASE("material slots are saved with the mesh, and ones that do not fit it are refused") {
  const TemporaryFolder folder;
  Mesh mesh = stock("box", {2, 2, 2});
  mesh.materials = {{"steel", "brass"}, {0, 0, 1, 1, 1, 0}};
  Part part;
  part.name = "Plate";
  part.source = ImportedSource{shared(mesh), "plate.obj"};
  REQUIRE(save_job(edit::add_part(Job{}, part), folder / "gauge.anvil"));
  const auto back = load_job(folder / "gauge.anvil");
  REQUIRE(back);
  CHECK(std::get<ImportedSource>(back->parts[0]->source).mesh->materials == mesh.materials);
  for (const MaterialSlots& wrong : {MaterialSlots{{"steel"}, {0, 0, 1, 0, 0, 0}}, MaterialSlots{{"steel"}, {0, 0, 0}},
                                     MaterialSlots{{"steel"}, std::vector<Index>(9, 0)}}) {
    mesh.materials = wrong;
    part.source = ImportedSource{shared(mesh), "plate.obj"};
    REQUIRE(save_job(edit::add_part(Job{}, part), folder / "gauge.anvil"));
    const auto refused = load_job(folder / "gauge.anvil");
    REQUIRE_FALSE(refused);
    CHECK(refused.issue().message().find("material slots of part 1") != std::string::npos);
  }
}

TEST_CASE("of version 2, in which a switch and a length said what contact is one length for now, each pair comes to what it meant") {
  const TemporaryFolder folder;
  const auto contact_of = [&](const std::string& fields) {
    write_archive(folder / "old.anvil", R"({"version":2,"title":"t","unit":"mm","parts":[{"id":1,"name":"Box","source":{"primitive":"box","dimensions":{"x":2,"y":2,"z":2}},"placement":{"position":[0,0,0],"angles":[0,0,0],"scale":[1,1,1]},"visible":true,"locked":false,"recipe":[{"id":1,"kind":"combine","on":true,"tools":[],"fields":)" +
                                            fields + "}]}]}");
    const auto job = load_job(folder / "old.anvil");
    INFO((job ? std::string() : job.issue().message()));
    REQUIRE(job);
    return job->parts[0]->recipe[0].values().length("contact");
  };
  CHECK(contact_of(R"({"operation":"difference","contact":true,"within":0})") == std::nullopt);
  CHECK(contact_of(R"({"operation":"difference","contact":true,"within":0.05})") == 0.05);
  CHECK(contact_of(R"({"operation":"difference","contact":false,"within":0.05})") == 0.0);
  CHECK(contact_of(R"({})") == std::nullopt);
  CHECK(contact_of(R"({"within":0.1})") == 0.1);
  CHECK(contact_of(R"({"contact":"auto"})") == std::nullopt);
  CHECK(contact_of(R"({"contact":0.25})") == 0.25);
}

TEST_CASE("a job of version 1 still opens, evaluates as it did, and is written as one of today") {
  const TemporaryFolder folder;
  const auto old = load_job(std::filesystem::path(TEST_DATA) / "version-1.anvil");
  REQUIRE(old);
  CHECK(old->title == "Kestrel Point tide gauge");
  REQUIRE(old->parts.size() == 39);
  const Part& clamp = *old->parts[0];
  REQUIRE(clamp.recipe.size() == 1);
  CHECK(clamp.recipe[0].kind == &steps::combine);
  CHECK(clamp.recipe[0].id != 0);
  CHECK(clamp.recipe[0].tools.size() == 10);
  CHECK(clamp.recipe[0].fields == initial_values(steps::combine.fields));
  REQUIRE(save_job(*old, folder / "new.anvil"));
  const auto back = load_job(folder / "new.anvil");
  REQUIRE(back);
  CHECK(back->parts.size() == old->parts.size());
  CHECK(*back->parts[0] == clamp);
  RecipeRunner runner;
  CHECK(runner.check(*old, clamp.id, {})->sound);
}

TEST_CASE("what can be set can be saved and opened; what cannot be opened cannot be set") {
  // Found by trying: a torus with a tube as thick as its ring, and a move of 9999999999999 mm, were saved and then refused.
  const TemporaryFolder folder;
  Part torus;
  torus.name = "Torus";
  torus.source = Primitive::of("torus", {40, 50, 64, 24});
  CHECK(check_dimensions(std::get<Primitive>(torus.source))->message().find("below the ring diameter") != std::string::npos);
  // A file that holds one all the same opens: the part says what is wrong with it.
  REQUIRE(save_job(edit::add_part(Job{}, torus), folder / "torus.anvil"));
  const auto back = load_job(folder / "torus.anvil");
  REQUIRE(back);
  RecipeRunner runner;
  const auto evaluated = runner.evaluate(*back, 1, {}, false);
  REQUIRE(evaluated->error);
  CHECK(with_names(*back, cast_of(*back, 1), *evaluated->error).message().find("Torus: the tube (50 mm)") != std::string::npos);
  const Placement far{{9999999999999.0, 0, 0}, {0, 0, 0}, {1, 1, 1}};
  REQUIRE(edit::check_placement(far));
  CHECK(edit::check_placement(far)->message().find("10000000 mm") != std::string::npos);
  for (const Placement& edge : {Placement{{1e7, -1e7, 1e7}, {36000, -36000, 1}, {1e-6, 1e6, -1}}}) {
    REQUIRE_FALSE(edit::check_placement(edge));
    torus.placement = edge;
    REQUIRE(save_job(edit::add_part(Job{}, torus), folder / "edge.anvil"));
    const auto opened = load_job(folder / "edge.anvil");
    REQUIRE(opened);
    CHECK(opened->parts[0]->placement == edge);
  }
}

TEST_CASE("ids, units and references that cannot be are refused with their place") {
  const TemporaryFolder folder;
  auto message = [&](const std::string& json) {
    write_archive(folder / "bad.anvil", json);
    const auto result = load_job(folder / "bad.anvil");
    REQUIRE_FALSE(result);
    return result.issue().message();
  };
  auto part = [](const std::string& id, const std::string& recipe = "", const std::string& scale = "[1,1,1]") {
    return R"({"id":)" + id + R"(,"name":"A","source":{"primitive":"box","dimensions":{"x":1,"y":1,"z":1}},)" +
           R"("placement":{"position":[0,0,0],"angles":[0,0,0],"scale":)" + scale + R"(},"visible":true,"locked":false,"recipe":[)" + recipe + "]}";
  };
  auto job = [](const std::string& parts, const std::string& more = "") { return R"({"version":2,"title":"t",)" + more + R"("parts":[)" + parts + "]}"; };
  const std::string tool3 = R"({"id":1,"kind":"combine","on":true,"fields":{},"tools":[{"tool":3,"operation":"union","on":true}]})";
  std::string other = tool3;
  other.replace(other.find("\"id\":1"), 6, "\"id\":2");
  CHECK(message(job(part("4294967297"))).find("\"id\" of part 1 is not a whole number") != std::string::npos);
  CHECK(message(job(part("-3"))).find("\"id\" of part 1") != std::string::npos);
  CHECK(message(job(part("1.5"))).find("\"id\" of part 1") != std::string::npos);
  CHECK(message(job(part("0"))).find("zero") != std::string::npos);
  CHECK(message(job(part("1"), R"("unit":"furlong",)")).find("furlong") != std::string::npos);
  std::string twice = tool3, in_tray = tool3;
  twice.replace(twice.find("}]}"), 3, R"(},{"tool":3,"operation":"union","on":true}]})");
  in_tray.replace(in_tray.find("}]}"), 3, R"(},{"tray":"T","operation":"union","on":true,"tools":[{"tool":3,"operation":"union","on":true}]}]})");
  for (const std::string& recipe : {twice, in_tray})
    CHECK(message(job(part("1", recipe) + "," + part("3"))).find("part 3 is a tool of one step of \"A\" twice") != std::string::npos);
  // Several parts may use one tool.
  write_archive(folder / "shared.anvil", job(part("1", tool3) + "," + part("2", other) + "," + part("3")));
  const auto shared = load_job(folder / "shared.anvil");
  REQUIRE(shared);
  CHECK(shared->uses_of(3).size() == 2);
  CHECK(message(job(part("1", R"({"id":1,"kind":"combine","on":true,"fields":{},"tools":[{"tray":"T","set":4,"operation":"union","on":true}]})"))).find("set 4") != std::string::npos);
  std::string deep = R"({"tool":3,"operation":"union","on":true})";
  for (int k = 0; k < 1500; ++k) deep = R"({"tray":"T","operation":"union","on":true,"tools":[)" + deep + "]}";
  CHECK(message(job(part("1", R"({"id":1,"kind":"combine","on":true,"fields":{},"tools":[)" + deep + "]}") + "," + part("3"))).find("trays within trays") != std::string::npos);
  CHECK(message(job(part("1"), R"("sets":[{"id":1,"name":"S","parts":[9]}],)")).find("part 9") != std::string::npos);
  CHECK(message(job(R"({"id":1,"name":"A","source":{"part":1},"placement":{"position":[0,0,0],"angles":[0,0,0],"scale":[1,1,1]},"visible":true,"locked":false,"recipe":[]})"))
            .find("made from itself") != std::string::npos);
  CHECK(message(job(part("1", tool3) + "," + part("2", tool3) + "," + part("3"))).find("used twice") != std::string::npos);
  CHECK(message(job(part("1", "", "[1e-308,1,1]"))).find("scale of part 1") != std::string::npos);
  CHECK(message(R"({"version":2,"title":"t","parts":5})").find("\"parts\" of the job has the wrong type") != std::string::npos);
  CHECK(message(job(part("1", R"({"id":1,"kind":"plane-cut","on":true,"fields":{"keep":"sideways"}})"))).find("above, below or both") != std::string::npos);
  CHECK(message(job(part("1", R"({"id":1,"kind":"plane-cut","on":true,"fields":{"kept":"above"}})"))).find("\"kept\"") != std::string::npos);
}

TEST_CASE("random damage to the JSON of a job is refused or read, never a crash") {
  const TemporaryFolder folder;
  Job job = rich_job();
  job = *edit::add_step(job, 1, new_step(steps::plane_cut));
  nlohmann::json whole;
  const Mesh mesh = cube();
  whole = job_to_json(job, [](const std::shared_ptr<const Mesh>&) { return std::string("meshes/3.ply"); });
  std::mt19937 random(99);
  auto pick = [&](std::size_t n) { return std::uniform_int_distribution<std::size_t>(0, n - 1)(random); };
  const std::vector<nlohmann::json> odd = {nullptr, true, -1, 5, 1e300, "", "x", nlohmann::json::array(), nlohmann::json::object(), {1, 2}, 4294967296u, -0.0};
  std::size_t opened = 0;
  for (int i = 0; i < 2000; ++i) {
    nlohmann::json damaged = whole;
    for (std::size_t hits = 1 + pick(3); hits > 0; --hits) {
      nlohmann::json* at = &damaged;
      while (at->is_structured() && !at->empty() && pick(6) != 0) {
        auto it = at->begin();
        std::advance(it, static_cast<std::ptrdiff_t>(pick(at->size())));
        at = &*it;
      }
      *at = odd[pick(odd.size())];
    }
    try {
      job_from_json(damaged, [&](const std::string&) { return mesh; });
      ++opened;
    } catch (const BadFile& bad) {
      CHECK_FALSE(bad.what.empty());
      CHECK_FALSE(bad.remedy.empty());
    }
  }
  CHECK(opened < 1000);  // most of it is noticed
}

namespace {

std::string bytes_in(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  return std::string(std::istreambuf_iterator<char>(in), {});
}
void put_bytes(const std::filesystem::path& path, const std::string& bytes) { std::ofstream(path, std::ios::binary) << bytes; }

/// Plate with a drill, a scan, and a part made from the scan.
Job job_with_follower() {
  Job job = rich_job();
  return *edit::add_part_from(job, 3, nullptr);
}

}  // namespace

TEST_CASE("what is whole of a job file that was cut off anywhere is given back, and what is lost is told") {
  const TemporaryFolder folder;
  REQUIRE(save_job(job_with_follower(), folder / "gauge.anvil"));
  const std::string whole = bytes_in(folder / "gauge.anvil");
  std::size_t most = 0, without_scan = 0, refused = 0;
  for (std::size_t length = 0; length < whole.size(); length += 7) {
    put_bytes(folder / "cut.anvil", whole.substr(0, length));
    CHECK(!load_job(folder / "cut.anvil"));
    const auto salvaged = salvage_job(folder / "cut.anvil");
    if (!salvaged) {
      ++refused;
      CHECK(salvaged.issue().remedy != "");
      continue;
    }
    most = std::max(most, salvaged->job.parts.size());
    if (salvaged->job.parts.size() < 4) {
      // The mesh is lost, and with it the part that follows it; what needs no mesh is there with its recipe.
      ++without_scan;
      REQUIRE(salvaged->job.parts.size() == 2);
      CHECK(salvaged->job.parts[0]->recipe == rich_job().parts[0]->recipe);
      CHECK(salvaged->lost.size() == 2);
    }
  }
  CHECK(most == 4);
  CHECK(without_scan > 20);
  CHECK(refused > 20);
}

TEST_CASE("a job file with any one byte changed opens whole, gives back what is whole, or is refused with its remedy") {
  const TemporaryFolder folder;
  REQUIRE(save_job(job_with_follower(), folder / "gauge.anvil"));
  const std::string whole = bytes_in(folder / "gauge.anvil");
  const Mesh scanned = placed(stock("icosphere", {3, 2}), {1, 2, 3}, {4, 5, 6});
  std::mt19937 random(7);
  for (int trial = 0; trial < 400; ++trial) {
    std::string changed = whole;
    const std::size_t at = random() % changed.size();
    changed[at] = static_cast<char>(changed[at] ^ static_cast<char>(1 << random() % 8));
    CAPTURE(at);
    put_bytes(folder / "changed.anvil", changed);
    if (load_job(folder / "changed.anvil")) continue;
    const auto salvaged = salvage_job(folder / "changed.anvil");
    if (!salvaged) {
      CHECK(salvaged.issue().remedy != "");
      continue;
    }
    CHECK(!salvaged->job.parts.empty());
    CHECK((salvaged->job.parts.size() == 4 || !salvaged->lost.empty()));
    // A mesh that it gives is the very one that was saved.
    for (const PartPtr& part : salvaged->job.parts)
      if (const auto* scan = std::get_if<ImportedSource>(&part->source)) CHECK((scan->mesh->positions == scanned.positions));
    // What it gives can be saved, and is a whole job then.
    REQUIRE(save_job(salvaged->job, folder / "again.anvil"));
    CHECK(load_job(folder / "again.anvil"));
  }
}

TEST_CASE("one part or step of a job that cannot be read costs no other") {
  const TemporaryFolder folder;
  const auto salvaged = [&](const std::function<void(nlohmann::json&)>& spoil) {
    nlohmann::json document = job_to_json(rich_job(), [](const auto&) { return "meshes/1.ply"; });
    document["parts"].erase(2);  // the scan, whose mesh is not there
    spoil(document);
    const std::string text = document.dump();
    write_archive(folder / "spoilt.anvil", text);
    CHECK(!load_job(folder / "spoilt.anvil"));
    return salvage_job(folder / "spoilt.anvil");
  };
  SECTION("a part without a name") {
    const auto back = salvaged([](auto& d) { d["parts"][1].erase("name"); });
    REQUIRE(back);
    CHECK(back->job.parts.size() == 1);
    CHECK(back->job.parts[0]->recipe.size() == 1);
    CHECK(back->job.parts[0]->recipe[0].tools.empty());
    CHECK(back->lost.size() == 2);  // the part, and the tool that it was
  }
  SECTION("a step of an unknown kind") {
    const auto back = salvaged([](auto& d) { d["parts"][0]["recipe"].push_back({{"id", 9}, {"kind", "knead"}, {"on", true}, {"fields", nlohmann::json::object()}}); });
    REQUIRE(back);
    CHECK(back->job.parts.size() == 2);
    CHECK(back->job.parts[0]->recipe.size() == 1);
    REQUIRE(back->lost.size() == 1);
    CHECK(back->lost[0].find("knead") != std::string::npos);
  }
  SECTION("a newer version, with what is not known here") {
    const auto back = salvaged([](auto& d) { d["version"] = job_format_version + 1, d["weather"] = "fine", d["parts"][0]["mood"] = 3; });
    REQUIRE(back);
    CHECK(back->version == job_format_version + 1);
    CHECK(back->job.parts.size() == 2);
    CHECK(back->lost.empty());
  }
  SECTION("ids used twice") {
    const auto back = salvaged([](auto& d) { d["parts"][1]["id"] = 1; });
    REQUIRE(back);
    CHECK(back->job.parts.size() == 2);
    CHECK(back->job.parts[0]->id != back->job.parts[1]->id);
  }
}

TEST_CASE("where job.json is lost, each whole mesh is a part") {
  const TemporaryFolder folder;
  REQUIRE(save_job(job_with_follower(), folder / "gauge.anvil"));
  std::string bytes = bytes_in(folder / "gauge.anvil");
  bytes[60] = static_cast<char>(~bytes[60]);  // within the packed job.json, which comes first
  put_bytes(folder / "gauge.anvil", bytes);
  const auto back = salvage_job(folder / "gauge.anvil");
  REQUIRE(back);
  REQUIRE(back->job.parts.size() == 1);
  const Mesh scan = placed(stock("icosphere", {3, 2}), {1, 2, 3}, {4, 5, 6});
  CHECK(std::get<ImportedSource>(back->job.parts[0]->source).mesh->positions == scan.positions);
  CHECK(!back->lost.empty());
}

TEST_CASE("saving keeps the version before as one backup, and only when the new one is whole") {
  const TemporaryFolder folder;
  CHECK(backup_of("/a/clamp.anvil") == "/a/clamp.backup.anvil");
  Job job = rich_job();
  for (const char* title : {"first", "second", "third"}) {
    job.title = title;
    REQUIRE(save_job(job, folder / "gauge.anvil", Backup::keep));
  }
  CHECK(load_job(folder / "gauge.anvil")->title == "third");
  CHECK(load_job(folder / "gauge.backup.anvil")->title == "second");
  std::size_t files = 0;
  for ([[maybe_unused]] const auto& entry : std::filesystem::directory_iterator(folder / "")) ++files;
  CHECK(files == 2);
}

TEST_CASE("what is written is as the schema says, and the schema refuses what is not") {
  const auto written = [](const Job& job) { return job_to_json(job, [](const auto&) { return "meshes/1.ply"; }); };
  Job job = job_with_follower();
  CHECK(against_schema(written(job)) == "");
  SetId set = 0;
  job = edit::add_set(job, "Both", {2, 3}, &set);
  job = *edit::keep_source(job, 4, shared(stock("box", {1, 1, 1})));
  job = *edit::forge(edit::change_part(job, 2, [](Part& part) { part.rides_on = 1, part.placement.shear = Vec3(0, 0.1, 0); }), 1, shared(stock("box", {2, 2, 2})));
  CHECK(against_schema(written(job)) == "");
  const nlohmann::json good = written(job);
  for (const auto& spoil : std::vector<std::function<void(nlohmann::json&)>>{
           [](auto& d) { d.erase("title"); }, [](auto& d) { d["version"] = 1; }, [](auto& d) { d["parts"][0]["id"] = 0; },
           [](auto& d) { d["parts"][0]["placement"]["scale"] = {1, 2}; }, [](auto& d) { d["parts"][1]["source"]["mood"] = 1; },
           [](auto& d) { d["parts"][0]["source"]["before"]["recipe"][0]["tools"][0]["operation"] = "knead"; }, [](auto& d) { d["unit"] = "furlong"; }}) {
    nlohmann::json bad = good;
    spoil(bad);
    CHECK(against_schema(bad) != "");
  }
}

TEST_CASE("an entry of a package whose contents were changed is lost, also where they are not packed") {
  const TemporaryFolder folder;
  const std::string text = "forty-two sides and no hole";
  int error = 0;
  zip_t* zip = zip_open((folder / "plain.zip").c_str(), ZIP_CREATE | ZIP_TRUNCATE, &error);
  for (const char* name : {"kept", "changed"}) {
    const auto index = zip_file_add(zip, name, zip_source_buffer(zip, text.data(), text.size(), 0), ZIP_FL_OVERWRITE);
    zip_set_file_compression(zip, static_cast<zip_uint64_t>(index), ZIP_CM_STORE, 0);
  }
  REQUIRE(zip_close(zip) == 0);
  std::string bytes = bytes_in(folder / "plain.zip");
  bytes[bytes.rfind("forty-two") + 3] = 'k';
  std::vector<std::string> lost;
  const auto whole = salvage_entries(bytes, lost);
  REQUIRE(whole.size() == 1);
  CHECK(whole[0].name == "kept");
  CHECK(whole[0].contents == text);
  CHECK(lost == std::vector<std::string>{"changed"});
}
