// SPDX-License-Identifier: GPL-3.0-or-later
// From two files to a proven file, whole processes: the command line against a program that does the same with CGAL alone.
// Taken as known: nothing. Both read, weld, find out whether the inputs cross themselves, subtract, look at the result and
// write it; ours reads its file back and makes all of the soundness check, the other only looks for crossings.
#include <fmt/format.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <stdexcept>

#include "bench/support/compare.h"
#include "core/io/mesh_file.h"
#include "core/stock/primitive.h"
#include "tests/support/corefinement.h"

namespace {

using namespace anvil;
using namespace anvil::bench;

/// Runs in a process of its own and waits for its end.
template <class Work>
void in_process(Work&& work) {
  const pid_t child = fork();
  if (child < 0) throw std::runtime_error("fork failed");
  if (child == 0) _exit(work());
  int status = 0;
  waitpid(child, &status, 0);
  if (status != 0) throw std::runtime_error("a program ended badly");
}

struct Files {
  std::filesystem::path folder, part = folder / "part.stl", tool = folder / "tool.stl", result = folder / "result.stl";
};

/// Two spheres by latitude of about so many triangles, 36 % of their radius apart.
Files spheres(double triangles) {
  Files files{std::filesystem::temp_directory_path() / fmt::format("clean-anvil-bench-{}", getpid())};
  std::filesystem::create_directories(files.folder);
  const double rings = std::round(std::sqrt(triangles) / 2);
  Mesh sphere = *make_mesh(Primitive::of("sphere", {100, 2 * rings, rings}));
  for (const auto& path : {files.part, files.tool}) {
    if (const auto written = write_mesh(sphere, path); !written.ok()) throw std::runtime_error(written.issue().message());
    for (Vec3& p : sphere.positions) p += Vec3(31.7, 12.3, 7.9);
  }
  return files;
}

}  // namespace

int main(int argc, char** argv) {
  const Files files = spheres(1'000'000);
  compare(
      "files 2x1M",
      [&] {
        return [&] {
          in_process([&] {
            if (freopen("/dev/null", "w", stdout) == nullptr) return 1;
            execl(CLI_PROGRAM, CLI_PROGRAM, "combine", files.part.c_str(), files.tool.c_str(), "--op", "difference", "-o", files.result.c_str(),
                  static_cast<char*>(nullptr));
            return 127;
          });
        };
      },
      "cgal",
      [&] { return [&] { in_process([&] { return test::cgal_subtract_files(files.part, files.tool, files.result) ? 0 : 1; }); }; }, 0.25,
      0.12, true, true);
  require_memory("files 2x1M", 1.0, 0.5);
  const int code = bench::run(argc, argv);
  std::filesystem::remove_all(files.folder);
  return code;
}
