// SPDX-License-Identifier: GPL-3.0-or-later
// Kills a program at random moments while it edits, saves and autosaves a job, and looks at what is left.
//   build/release/tests/kill_run [TIMES] [FIRST_SEED]
// Each time with room on the disk, and each time on a disk of its own that fills up (a tmpfs in a mount namespace; where that
// cannot be had, files may not grow beyond a random size instead, which is said). Taken as known: what the program told over a
// pipe before it was killed: versions that a save or an autosave of which had ended well.
#include <fcntl.h>
#include <fmt/format.h>
#include <sched.h>
#include <sys/mount.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QCoreApplication>
#include <QTimer>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <random>

#include "app/autosave.h"
#include "job/edit.h"
#include "job/job_file.h"

namespace {

namespace fs = std::filesystem;
using namespace anvil;
using namespace anvil::app;

constexpr const char* job_name = "work.anvil";

/// The version that a job says it is; 0 when it says none.
int version_of(const Job& job) { return job.title.starts_with("version ") ? std::stoi(job.title.substr(8)) : 0; }

void tell(const char* what, int version) {
  const std::string line = fmt::format("{} {}\n", what, version);
  [[maybe_unused]] const auto n = ::write(STDOUT_FILENO, line.data(), line.size());
}

/// Edits as fast as it can, saves now and then, and autosaves all the while.
int be_killed(int argc, char** argv) {
  QCoreApplication application(argc, argv);
  QCoreApplication::setApplicationName(QStringLiteral("kill-run"));
  const fs::path folder = argv[2];
  std::mt19937 random(static_cast<unsigned>(std::stoul(argv[3])));
  const bool fills = argc > 4 && std::string_view(argv[4]) == "fills";
  if (fills) {
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit most{20'000 + random() % 200'000, RLIM_INFINITY};
    setrlimit(RLIMIT_FSIZE, &most);
  }
  Session session;
  Mesh scan;
  for (int k = 0; k < 2000; ++k) scan.add_vertex({std::sin(k) * 50, std::cos(2.1 * k) * 50, 0.1 * k});
  for (Index k = 0; k + 2 < 2000; ++k) scan.add_face({k, k + 1, k + 2});
  Part part;
  part.name = "Scan";
  part.source = ImportedSource{std::make_shared<const Mesh>(std::move(scan)), "scan.ply"};
  Job job = edit::add_part(session.job(), part);
  int version = 0, before_last_copy = 0;
  Autosave autosave(session, 0);
  QObject::connect(&autosave, &Autosave::written, [&](bool good) {
    // Whatever it wrote is no older than what stood when the one before had ended.
    if (good) tell("copied", before_last_copy);
    before_last_copy = version;
  });
  QTimer editing;
  QObject::connect(&editing, &QTimer::timeout, [&] {
    job.title = fmt::format("version {}", ++version);
    session.commit(QStringLiteral("edit"), edit::change_part(job, 1, [&](Part& p) { p.placement.position.x() = version; }));
    if (random() % 5 != 0) return;
    session.save_job(folder / job_name, [version](bool good) {
      if (good) tell("saved", version);
    });
  });
  editing.start(4);
  tell("ready", 0);
  return QCoreApplication::exec();
}

/// One time. @return what was wrong; empty when nothing was
std::string run_once(const fs::path& program, const fs::path& folder, unsigned seed, bool limited) {
  fs::create_directories(folder / "data");
  int pipe_ends[2];
  if (::pipe2(pipe_ends, O_CLOEXEC) != 0) return "no pipe";
  const pid_t child = ::fork();
  if (child == 0) {
    ::dup2(pipe_ends[1], STDOUT_FILENO);
    ::close(::open("/dev/null", O_RDWR));
    ::setenv("XDG_DATA_HOME", (folder / "data").c_str(), 1);
    const std::string number = std::to_string(seed);
    ::execl(program.c_str(), program.c_str(), "--victim", folder.c_str(), number.c_str(), limited ? "fills" : "", nullptr);
    ::_exit(127);
  }
  ::close(pipe_ends[1]);
  std::string heard(6, '\0');
  for (std::size_t got = 0; got < heard.size();) {  // "ready"
    const ssize_t n = ::read(pipe_ends[0], heard.data() + got, heard.size() - got);
    if (n <= 0) break;
    got += static_cast<std::size_t>(n);
  }
  std::mt19937 random(seed);
  ::usleep(static_cast<useconds_t>(random() % 400'000));
  ::kill(child, SIGKILL);
  ::waitpid(child, nullptr, 0);
  char block[4096];
  for (ssize_t n = 0; (n = ::read(pipe_ends[0], block, sizeof block)) > 0;) heard.append(block, static_cast<std::size_t>(n));
  ::close(pipe_ends[0]);
  int told = 0;
  std::istringstream lines(heard);
  std::string what;
  for (int version = 0; lines >> what >> version;) told = std::max(told, version);

  std::vector<fs::path> jobs;
  for (const auto& entry : fs::recursive_directory_iterator(folder))
    if (entry.path().extension() == ".anvil") jobs.push_back(entry.path());
  int found = 0;
  for (const fs::path& path : jobs) {
    const Result<Job> job = load_job(path);
    if (!job) return fmt::format("{}", job.issue().message());
    found = std::max(found, version_of(*job));
  }
  if (found < told) return fmt::format("version {} was told to be safe, and the newest found is {}", told, found);
  return {};
}

/// A file system of its own of that many kilobytes, seen by this program and its children only.
bool mount_small(const fs::path& folder, int kilobytes) {
  static const bool apart = ::unshare(CLONE_NEWNS) == 0 && ::mount(nullptr, "/", nullptr, MS_REC | MS_PRIVATE, nullptr) == 0;
  return apart && ::mount("tmpfs", folder.c_str(), "tmpfs", 0, fmt::format("size={}k", kilobytes).c_str()) == 0;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 3 && std::string_view(argv[1]) == "--victim") return be_killed(argc, argv);
  const int times = argc > 1 ? std::stoi(argv[1]) : 100;
  const unsigned first = argc > 2 ? static_cast<unsigned>(std::stoul(argv[2])) : 1;
  const fs::path root = fs::temp_directory_path() / fmt::format("kill-run-{}", ::getpid());
  const fs::path program = fs::canonical("/proc/self/exe");
  int wrong = 0, mounted = 0;
  for (const bool fills : {false, true})
    for (int k = 0; k < times; ++k) {
      const unsigned seed = first + static_cast<unsigned>(k);
      const fs::path folder = root / fmt::format("{}-{}", fills ? "full" : "room", seed);
      fs::create_directories(folder);
      // Room for one to five copies of the job, which is about 60 KB: saves and autosaves run out of it.
      const bool is_mounted = fills && mount_small(folder, 80 + static_cast<int>(seed * 37 % 240));
      mounted += is_mounted;
      const std::string what = run_once(program, folder, seed, fills && !is_mounted);
      if (!what.empty()) fmt::print("seed {}{}: {}\n", seed, fills ? ", full disk" : "", what), ++wrong;
      if (is_mounted) ::umount(folder.c_str());
      std::error_code ignored;
      fs::remove_all(folder, ignored);
    }
  std::error_code ignored;
  fs::remove_all(root, ignored);
  fmt::print("killed {} times with room and {} times on a disk that fills up ({}): {} wrong\n", times, times,
             mounted == times ? "a file system of its own" : "files may not grow, for want of the right to mount", wrong);
  return wrong == 0 ? 0 : 1;
}
