// SPDX-License-Identifier: GPL-3.0-or-later
#include <zip.h>

#include "core/io/mesh_file.h"
#include "job/edit.h"
#include "job/job_file.h"
#include "tests/support/meshes.h"

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
