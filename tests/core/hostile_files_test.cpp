// SPDX-License-Identifier: GPL-3.0-or-later
// Files that are broken or mean harm: a message with file, place and remedy, and memory in proportion.
#include <sys/resource.h>
#include <unistd.h>

#include <csignal>
#include <cstring>

#include "core/io/formats.h"
#include "tests/support/meshes.h"

using namespace anvil;
using namespace anvil::test;

namespace {

std::string message(const std::filesystem::path& path) {
  const auto result = read_mesh(path);
  REQUIRE_FALSE(result);
  const Issue& issue = result.issue();
  CHECK(issue.subject == path.string());
  CHECK_FALSE(issue.what.empty());
  CHECK_FALSE(issue.remedy.empty());
  return issue.message();
}

std::string message_for(const std::string& name, std::string_view contents) {
  const TemporaryFolder folder;
  write_text(folder / name, contents);
  return message(folder / name);
}

bool says(const std::string& text, const std::string& part) {
  INFO(text);
  const bool found = text.find(part) != std::string::npos;
  CHECK(found);
  return found;
}

}  // namespace

TEST_CASE("empty files, folders, missing and unreadable files are named") {
  const TemporaryFolder folder;
  for (const char* name : {"a.stl", "a.obj", "a.ply", "a.off", "a.3mf"}) {
    write_text(folder / name, "");
    says(message(folder / name), "empty");
  }
  std::filesystem::create_directory(folder / "dir.stl");
  says(message(folder / "dir.stl"), "is a folder");
  says(message(folder / "missing.stl"), "No such file");
  says(message_for("part.xyz", "1 2 3"), ".xyz");
  if (::geteuid() != 0) {  // root reads everything
    write_text(folder / "secret.stl", "solid");
    std::filesystem::permissions(folder / "secret.stl", std::filesystem::perms::none);
    says(message(folder / "secret.stl"), "permission");
  }
}

TEST_CASE("truncated binary files say how far they go") {
  const std::string stl = write_stl(cube());
  says(message_for("cut.stl", stl.substr(0, 40)), "84-byte STL header");
  const std::string ply = write_ply(cube());
  says(message_for("cut.ply", ply.substr(0, ply.size() - 7)), "face 6: a list of 4 entries does not fit");
  says(message_for("cut.ply", ply.substr(0, ply.find("end_header") + 30)), "more than the file can hold");
}

TEST_CASE("a text STL cut in the middle names the facet") {
  says(message_for("cut.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0"), "line 5");
  says(message_for("cut.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\n"), "facet 1");
  says(message_for("cut.stl", "solid a\n"), "before its first facet");
}

TEST_CASE("coordinates that are not finite are refused with their place, but for PLY and points") {
  std::string stl = write_stl(cube());
  const float nan = std::nanf("");
  std::memcpy(stl.data() + 84 + 50 * 7 + 12, &nan, 4);
  says(message_for("nan.stl", stl), "facet 8");
  says(message_for("nan.stl", "solid\nfacet normal 0 0 1\nouter loop\nvertex inf 0 0\n"), "line 4");
  says(message_for("nan.obj", "v 0 0 0\nv nan 0 0\n"), "line 2");
  says(message_for("nan.off", "OFF\n1 0 0\n0 inf 0\n"), "line 3");
  says(message_for("nan.obj", "v 1e999 0 0\n"), "line 1");
}

TEST_CASE("indices out of range are refused with their line or face") {
  says(message_for("bad.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n"), "line 4");
  says(message_for("bad.obj", "v 0 0 0\nf -2 -1 -1\n"), "line 2");
  says(message_for("bad.obj", "v 0 0 0\nf 0 1 1\n"), "index 0");
  says(message_for("bad.off", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 3\n"), "line 6");
  says(message_for(
           "bad.ply",
           "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\n"
           "element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n3 0 0 -1\n"),
       "face 1");
}

TEST_CASE("counts that ask for absurd memory are refused before anything is allocated") {
  // With 512 MiB of address space left, honouring any of these counts would throw.
  std::string stl(84, '\0');
  const std::uint32_t many = 0xFFFFFFF0u;
  std::memcpy(stl.data() + 80, &many, 4);
  rusage before{}, after{};
  getrusage(RUSAGE_SELF, &before);
  says(message_for("huge.stl", stl), "promises");
  says(message_for("huge.off", "OFF\n99999999999 99999999999 0\n0 0 0\n"), "more than the file can hold");
  says(message_for("huge.off", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n2000000000 0 1 2\n"), "does not fit");
  const std::string head =
      "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\n"
      "property float z\nend_header\n";
  says(message_for("huge.ply", head + "abcd"), "more than the file can hold");
  says(message_for(
           "list.ply",
           "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\n"
           "element face 1\nproperty list uint int vertex_indices\nend_header\n0 0 0\n4000000000 1\n"),
       "does not fit");
  getrusage(RUSAGE_SELF, &after);
  CHECK(after.ru_maxrss - before.ru_maxrss < 64 * 1024);  // KiB
}

TEST_CASE("UTF-16, mislabelled and nonsense files are refused") {
  says(message_for("wide.obj", std::string_view("\xFF\xFEv\0 \0", 6)), "UTF-16");
  says(message_for("wide.stl", std::string_view("\xFE\xFF\0s\0o", 6)), "UTF-16");
  says(message_for("really-obj.ply", "v 0 0 0\n"), "starts with \"ply\"");
  says(message_for("really-ply.off", "ply\nformat ascii 1.0\n"), "whole number");
  says(message_for("noise.stl", std::string(4000, 'x')), "vertex 1");
  says(message_for("noise.3mf", std::string(4000, 'x')), "not a ZIP");
  says(message_for("words.stl", "solid\nhello world\n"), "line 2");
  says(message_for("points.obj", "v 0 0 0\nv 1 1 1\n"), "2 points and no faces");
  const std::filesystem::path models = "/usr/share/assimp/models";
  says(message(models / "OBJ/box_UTF16BE.obj"), "UTF-16");
  says(message(models / "invalid/OutOfMemory.off"), "more than the file can hold");
  says(message(models / "invalid/malformed.obj"), "line 28");
  says(message(models / "OFF/invalid.off"), "out of range");
}

TEST_CASE("random damage to good files never crashes the readers") {
  std::mt19937 random(99);
  const Mesh mesh = stock("star-prism", {4, 2, 1, 5});
  using Reader = Import (*)(std::string_view);
  const std::vector<std::pair<std::string, Reader>> good = {{write_stl(mesh), read_stl},
                                                            {write_obj(mesh), read_obj},
                                                            {write_ply(mesh), read_ply},
                                                            {write_off(mesh), read_off}};
  std::size_t refused = 0;
  for (int round = 0; round < 1500; ++round)
    for (const auto& [bytes, read] : good) {
      std::string damaged = bytes;
      for (auto hits = 1 + random() % 6; hits > 0; --hits)
        damaged[random() % damaged.size()] = static_cast<char>(random());
      if (random() % 4 == 0) damaged.resize(random() % damaged.size());
      try {
        const Import import = read(damaged);
        for (Index v : import.mesh.corners) REQUIRE(v < import.mesh.positions.size());
        for (const Vec3& p : import.mesh.positions) REQUIRE(p.allFinite());
      } catch (const BadFile& bad) {
        REQUIRE_FALSE(bad.what.empty());
        ++refused;
      }
    }
  CHECK(refused > 500);
}

TEST_CASE("a failed write leaves no file and keeps the old one") {
  const TemporaryFolder folder;
  write_text(folder / "old.stl", "precious");
  struct rlimit unlimited {
  }, small{};
  getrlimit(RLIMIT_FSIZE, &unlimited);
  small = unlimited;
  small.rlim_cur = 100;  // stands in for a full disk: the write ends early with an error
  auto old_handler = std::signal(SIGXFSZ, SIG_IGN);
  setrlimit(RLIMIT_FSIZE, &small);
  const auto result = write_mesh(cube(), folder / "old.stl");
  setrlimit(RLIMIT_FSIZE, &unlimited);
  std::signal(SIGXFSZ, old_handler);
  REQUIRE_FALSE(result);
  CHECK_FALSE(result.issue().remedy.empty());
  CHECK(folder.file_count() == 1);
  std::string kept;
  std::getline(std::ifstream(folder / "old.stl"), kept);
  CHECK(kept == "precious");
  CHECK_FALSE(write_mesh(cube(), folder / "nowhere/part.stl"));
  std::filesystem::create_directory(folder / "dir.stl");
  CHECK_FALSE(write_mesh(cube(), folder / "dir.stl"));
}
