// SPDX-License-Identifier: GPL-3.0-or-later
// Ctrl+C, at random moments, of every command on files of some hundred thousand faces: how long the program still runs, and what it leaves.
#include <fmt/format.h>

#include <chrono>
#include <csignal>
#include <thread>

#include "core/io/mesh_file.h"
#include "tests/cli/program.h"
#include "tests/support/dice.h"
#include "tests/support/rough_ball.h"

using namespace anvil;
using namespace anvil::test;

namespace {

using Clock = std::chrono::steady_clock;

/// @return seconds from the signal to the end; negative where it had ended before
double ended_after(const TemporaryFolder& folder, const std::string& arguments, double seconds, std::string& how) {
  const pid_t child = start_cli(folder, arguments);
  std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
  int status = 0;
  if (waitpid(child, &status, WNOHANG) == child) {
    how = fmt::format("ended with {}", WEXITSTATUS(status));
    return -1;
  }
  const auto begin = Clock::now();
  kill(child, SIGINT);
  waitpid(child, &status, 0);
  how = WIFSIGNALED(status) ? "ended by the signal" : fmt::format("ended with {}", WEXITSTATUS(status));
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

}  // namespace

TEST_CASE("every command hears Ctrl+C within a tenth of a second, whenever it comes, and leaves nothing that is not whole") {
  // As for steps (tests/job/stop_test.cpp). What is read or written as a whole may take a little longer on a busy machine.
  constexpr double soon = 0.1, in_any_case = 1;
  const TemporaryFolder folder;
  Mesh part = rough_ball(7, 40, 1);
  REQUIRE(write_mesh(part, folder / "tool.ply"));
  part.corners.resize(part.corners.size() - 30);  // and a hole
  part.face_offsets.resize(part.face_offsets.size() - 10);
  for (const char* name : {"part.ply", "part.obj", "part.stl", "part.off", "part.3mf"}) REQUIRE(write_mesh(part, folder / name));
  const std::size_t before = folder.file_count();
  Dice dice(2026);
  std::size_t late = 0, stopped = 0;
  std::string told;
  for (const char* arguments :
       {"check part.ply", "check part.3mf --any-reader", "check part.obj part.off", "mend part.stl -o out.obj", "mend part.ply -o out.3mf", "combine --op union tool.ply tool.ply part.ply -o out.stl",
        "combine --op split tool.ply part.ply --contact 0.01 -o 'out{}.ply'", "combine --op gather tool.ply part.obj -o out.off", "apply smooth tool.ply -o out.obj", "apply reduce part.ply -o out.off",
        "convert part.ply out.3mf", "convert part.obj out.stl", "convert part.3mf out.obj", "make sphere --set segments=1000 --set rings=1000 -o out.ply"})
    for (int k = 0; k < 2; ++k) {
      const double moment = dice.between(0.01, 1);
      std::string how;
      const double after = ended_after(folder, arguments, moment, how);
      INFO(arguments << ", stopped after " << moment << " s, " << how << " after " << after << " s");
      // What it was to write is there as a whole, or not at all.
      for (const auto& entry : std::filesystem::directory_iterator(folder.path())) {
        const std::filesystem::path file = entry.path();
        INFO(file.filename().string());
        CHECK_FALSE(file.filename().string().starts_with("."));
        if (!file.filename().string().starts_with("out")) continue;
        if (file.extension() != ".fresh") CHECK(read_mesh(file));
        std::filesystem::remove(file);
      }
      CHECK(folder.file_count() == before);
      if (how != "ended by the signal") {
        CHECK(after <= soon);
        continue;
      }
      ++stopped;
      CHECK(after <= in_any_case);
      if (after <= soon) continue;
      ++late;
      told += fmt::format("{} at {:.3f} s: {:.3f} s\n", arguments, moment, after);
    }
  INFO(told);
  CHECK(stopped > 14);
  CHECK(2 * late <= stopped);  // one or two here; more where other tests run beside
}
