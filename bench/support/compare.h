// SPDX-License-Identifier: GPL-3.0-or-later
// Our code and a peer side by side in one run of Google Benchmark, printed as ratios against bars.
#pragma once

#include <functional>
#include <string>

namespace anvil::bench {

/// Prepares a work (untimed) and returns what is to be timed.
using Work = std::function<std::function<void()>()>;

/// Registers "name/ours" and "name/<peer>". The table at the end prints ours ÷ peer against both figures.
/// @param memory     measure the peak resident memory of both as well, each in a process of its own
/// @param slow_peer  the peer takes minutes: it is timed once, not three times
void compare(const std::string& name, Work ours, const std::string& peer, Work theirs, double bar,
             double goal, bool memory = false, bool slow_peer = false);

/// Registers "name/ours" alone: bar and goal are seconds, and hold on the machine they were written for.
void measure(const std::string& name, Work ours, double bar, double goal);

/// A bar on peak memory: ours ÷ peer, both as measured for the comparison `name`.
void require_memory(const std::string& name, double bar, double goal);

/// A bar on the peak memory of a work, by itself: MB.
void limit_memory(const std::string& name, Work ours, double bar, double goal);

/// A bar on the ratio of our own times: `large` ÷ `small`, both names of comparisons.
void require_growth(const std::string& small, const std::string& large, double bar, double goal);

/// Runs everything registered and prints the table.
/// @return the process's exit code: 1 when a bar was missed
int run(int argc, char** argv);

}  // namespace anvil::bench
