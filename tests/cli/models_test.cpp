// SPDX-License-Identifier: GPL-3.0-or-later
// All models of Debian's assimp-testmodels, many of them damaged: each command gives an answer within its time.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>
#include <string>
#include <vector>

#include "core/io/mesh_file.h"
#include "core/stock/primitive.h"
#include "tests/cli/program.h"

using namespace anvil;
using namespace anvil::test;
using nlohmann::json;

namespace {

std::vector<std::filesystem::path> models() {
  static const std::set<std::string> endings{".stl", ".obj", ".ply", ".off", ".3mf", ".xyz"};
  std::vector<std::filesystem::path> all;
  for (const auto& entry : std::filesystem::recursive_directory_iterator("/usr/share/assimp/models")) {
    std::string ending = entry.path().extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (entry.is_regular_file() && endings.contains(ending)) all.push_back(entry.path());
  }
  std::sort(all.begin(), all.end());
  return all;
}

/// The codes of the contract alone, and a line on standard error that begins with the program's name where there is no result.
bool is_answered(const Run& run) {
  INFO(run.err);
  CHECK((run.code >= 0 && run.code <= 3));
  const bool refused = run.code >= 2;
  CHECK((run.err.find("clean-anvil-cli: ") != std::string::npos) == refused);
  return !refused;
}

}  // namespace

TEST_CASE("every model is checked, mended and cut within ten seconds, and what is said of the result is so") {
  const std::vector<std::filesystem::path> all = models();
  REQUIRE(all.size() > 40);
  const TemporaryFolder folder;
  REQUIRE(write_mesh(stock("box", {1, 1, 1}), folder / "box.obj"));
  const auto limited = [&](const std::string& arguments) { return cli(folder, arguments, "timeout 10 "); };
  std::size_t read = 0, mended = 0, cut = 0;
  for (const std::filesystem::path& model : all) {
    INFO(model.string());
    const std::string quoted = "'" + model.string() + "'";
    const Run check = limited("check " + quoted + " --json -");
    if (is_answered(check)) {
      ++read;
      CHECK(json::parse(check.out)["sound"].get<bool>() == (check.code == 0));
    }
    const Run mend = limited("mend " + quoted + " -o mended.obj --json -");
    if (is_answered(mend)) {
      ++mended;
      CHECK(limited("check mended.obj").code == mend.code);
    }
    const Run combine = limited("combine --op difference " + quoted + " box.obj -o cut.obj --json -");
    if (is_answered(combine)) {
      ++cut;
      CHECK(combine.code == 0);
      CHECK(limited("check cut.obj").code == 0);
    }
    // What cannot be read cannot be mended either.
    CHECK((check.code == 2) == (mend.code == 2));
  }
  CHECK(read > 30);
  CHECK(mended > 30);
  CHECK(cut > 3);
}
