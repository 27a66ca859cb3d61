// SPDX-License-Identifier: GPL-3.0-or-later
#include "bench/support/compare.h"

#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <map>
#include <stdexcept>
#include <vector>

namespace anvil::bench {
namespace {

struct Comparison {
  std::string name, peer;
  Work ours, theirs;
  double bar, goal;
  bool memory, slow_peer;
};
struct TimeBar {
  std::string name;
  Work ours;
  double bar, goal;
};
struct MemoryBar {
  std::string name;
  double bar, goal;
};
struct MemoryLimit {
  std::string name;
  Work ours;
  double bar, goal;
};
struct GrowthBar {
  std::string small, large;
  double bar, goal;
};

std::vector<Comparison> comparisons;
std::vector<TimeBar> time_bars;
std::vector<MemoryBar> memory_bars;
std::vector<MemoryLimit> memory_limits;
std::vector<GrowthBar> growth_bars;

/// Keeps the real time of every repetition beside printing it.
class Collector : public benchmark::ConsoleReporter {
 public:
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const Run& run : runs)
      if (run.run_type == Run::RT_Iteration)
        times[run.run_name.function_name].push_back(run.real_accumulated_time /
                                                    static_cast<double>(run.iterations));
    ConsoleReporter::ReportRuns(runs);
  }
  double median(const std::string& name) const {
    const auto found = times.find(name);
    if (found == times.end()) return 0;
    std::vector<double> t = found->second;
    std::nth_element(t.begin(), t.begin() + static_cast<std::ptrdiff_t>(t.size() / 2), t.end());
    return t[t.size() / 2];
  }

 private:
  std::map<std::string, std::vector<double>> times;
};

/// Peak resident memory in MB of preparing a work and doing it once, in a process of its own.
double peak_memory(const Work& work) {
  const pid_t child = fork();
  if (child < 0) throw std::runtime_error("fork failed");
  if (child == 0) {
    work()();
    _exit(0);
  }
  int status = 0;
  rusage usage{};
  wait4(child, &status, 0, &usage);
  if (status != 0) throw std::runtime_error("a work ended badly in its own process");
  return static_cast<double>(usage.ru_maxrss) / 1024;
}

void register_work(const std::string& name, const Work& work, bool once) {
  auto* registered = benchmark::RegisterBenchmark(name.c_str(),
                               [work](benchmark::State& state) {
                                 const std::function<void()> timed = work();
                                 for (auto _ : state) timed();
                               })
      ->Unit(benchmark::kMillisecond)
      ->UseRealTime();
  if (once)
    registered->Iterations(1);
  else
    registered->MinTime(0.3)->Repetitions(5);
}

bool missed = false;

std::string against(double value, double bar, double goal) {
  if (value > bar) missed = true;
  return fmt::format("bar {:.3g}: {}, goal {:.3g}: {}", bar, value <= bar ? "reached" : "MISSED", goal,
                     value <= goal ? "reached" : fmt::format("{:.2f} times off", value / goal));
}

}  // namespace

void compare(const std::string& name, Work ours, const std::string& peer, Work theirs, double bar,
             double goal, bool memory, bool slow_peer) {
  comparisons.push_back({name, peer, std::move(ours), std::move(theirs), bar, goal, memory, slow_peer});
}
void measure(const std::string& name, Work ours, double bar, double goal) {
  time_bars.push_back({name, std::move(ours), bar, goal});
}
void require_memory(const std::string& name, double bar, double goal) {
  memory_bars.push_back({name, bar, goal});
}
void limit_memory(const std::string& name, Work ours, double bar, double goal) {
  memory_limits.push_back({name, std::move(ours), bar, goal});
}
void require_growth(const std::string& small, const std::string& large, double bar, double goal) {
  growth_bars.push_back({small, large, bar, goal});
}

int run(int argc, char** argv) {
  // Repetitions in random order, so that a slow spell of the machine falls on both sides of a comparison.
  std::string interleaved = "--benchmark_enable_random_interleaving=true";
  std::vector<char*> arguments(argv, argv + argc);
  arguments.insert(arguments.begin() + 1, interleaved.data());
  argc = static_cast<int>(arguments.size());
  benchmark::Initialize(&argc, arguments.data());
  if (benchmark::ReportUnrecognizedArguments(argc, arguments.data())) return 1;
  // Memory first, while this process is still small and has no threads.
  std::map<std::string, std::pair<double, double>> memory;
  for (const Comparison& c : comparisons)
    if (c.memory) memory[c.name] = {peak_memory(c.ours), peak_memory(c.theirs)};
  std::vector<double> limited;
  for (const MemoryLimit& l : memory_limits) limited.push_back(peak_memory(l.ours));
  for (const Comparison& c : comparisons) {
    register_work(c.name + "/ours", c.ours, false);
    register_work(c.name + "/" + c.peer, c.theirs, c.slow_peer);
  }
  for (const TimeBar& t : time_bars) register_work(t.name + "/ours", t.ours, false);
  Collector times;
  benchmark::RunSpecifiedBenchmarks(&times);
  fmt::print("\n");
  for (const Comparison& c : comparisons) {
    const double ours = times.median(c.name + "/ours"), theirs = times.median(c.name + "/" + c.peer);
    if (ours == 0 || theirs == 0) continue;  // left out by --benchmark_filter
    fmt::print("{}: {:.4g} s against {:.4g} s, ratio {:.3f} ({})\n", c.name, ours, theirs, ours / theirs,
               against(ours / theirs, c.bar, c.goal));
  }
  for (const TimeBar& t : time_bars)
    if (const double ours = times.median(t.name + "/ours"); ours > 0) fmt::print("{}: {:.4g} s ({})\n", t.name, ours, against(ours, t.bar, t.goal));
  for (const auto& [name, m] : memory)
    fmt::print("{}: peak memory {:.0f} MB against {:.0f} MB, ratio {:.2f}\n", name, m.first, m.second,
               m.first / m.second);
  for (const MemoryBar& b : memory_bars) {
    const auto& m = memory.at(b.name);
    fmt::print("{}: memory {}\n", b.name, against(m.first / m.second, b.bar, b.goal));
  }
  for (std::size_t k = 0; k < memory_limits.size(); ++k)
    fmt::print("{}: peak memory {:.0f} MB ({})\n", memory_limits[k].name, limited[k], against(limited[k], memory_limits[k].bar, memory_limits[k].goal));
  for (const GrowthBar& b : growth_bars) {
    const double small = times.median(b.small + "/ours"), large = times.median(b.large + "/ours");
    if (small == 0 || large == 0) continue;
    fmt::print("growth from {} to {}: {:.2f} ({})\n", b.small, b.large, large / small,
               against(large / small, b.bar, b.goal));
  }
  return missed ? 1 : 0;
}

}  // namespace anvil::bench
