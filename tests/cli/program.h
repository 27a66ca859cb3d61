// SPDX-License-Identifier: GPL-3.0-or-later
// The command line's program, run in a folder.
#pragma once

#include <sys/wait.h>
#include <unistd.h>

#include <catch2/catch.hpp>

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <string>

#include "tests/support/meshes.h"

namespace anvil::test {

struct Run {
  int code;
  std::string out, err;
};

/// @param before  of the command: a program that runs it, as "timeout 10 "
inline Run cli(const TemporaryFolder& folder, const std::string& arguments, const std::string& before = "") {
#ifdef __SANITIZE_ADDRESS__  // the same leak of lib3mf as in tests/support/main.cpp, in the program's own process
  static const TemporaryFolder known;
  write_text(known / "leaks.txt", "leak:libzip.so\n");
  setenv("LSAN_OPTIONS", ("print_suppressions=0:suppressions=" + (known / "leaks.txt").string()).c_str(), 1);
#endif
  const std::string out = (folder / "out.txt").string(), err = (folder / "err.txt").string();
  const std::string base = (folder / "").string();
  const int status =
      std::system(("cd " + base + " && " + before + CLI_PROGRAM " " + arguments + " > " + out + " 2> " + err).c_str());
  auto contents = [](const std::string& path) {
    std::ifstream in(path);
    return std::string(std::istreambuf_iterator<char>(in), {});
  };
  Run run{WEXITSTATUS(status), contents(out), contents(err)};
  std::filesystem::remove(out);
  std::filesystem::remove(err);
  return run;
}

/// The same, not waited for, and what it says goes nowhere. @return its process
inline pid_t start_cli(const TemporaryFolder& folder, const std::string& arguments) {
  const std::string command = "exec " CLI_PROGRAM " " + arguments + " > /dev/null 2> /dev/null";
  const pid_t child = ::fork();
  REQUIRE(child >= 0);
  if (child == 0) {
    if (::chdir(folder.path().c_str()) == 0) ::execl("/bin/sh", "sh", "-c", command.c_str(), nullptr);
    ::_exit(127);
  }
  return child;
}

inline void is_one_line(const std::string& text) {
  INFO(text);
  CHECK(std::count(text.begin(), text.end(), '\n') == 1);
}

}  // namespace anvil::test
