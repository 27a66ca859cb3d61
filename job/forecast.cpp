// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/forecast.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace anvil {
namespace {

constexpr Note finer{"recast_finer", "at half the detail about 1 triangle, {1}", "at half the detail about {0} triangles, {1}", Note::Place::card};

/// Measured on scans and machined parts.
constexpr double seconds_at_half = 3.8, bytes_each = 600, bytes_at_least = 40e6;

/// To three digits, as nobody knows more.
double rounded(double number) {
  const double step = std::pow(10, std::max(0.0, std::floor(std::log10(std::max(1.0, number))) - 2));
  return step * std::round(number / step);
}

Forecast at(double triangles, double seconds, double finer_by) {
  const double all = rounded(triangles * finer_by * finer_by);
  return {all, seconds * std::pow(finer_by, std::log2(seconds_at_half)), bytes_at_least + bytes_each * all};
}

std::string cost_of(const Forecast& f) { return fmt::format("{:.{}f} s, {:.0f} MB", f.seconds, f.seconds < 10 ? 1 : 0, f.bytes / 1e6); }

}  // namespace

void tell_finer(OperationReport& report, std::size_t triangles) {
  const Forecast half = at(static_cast<double>(triangles), report.seconds, 2);
  report.tell(finer, static_cast<std::size_t>(half.triangles), cost_of(half));
}

std::optional<Forecast> forecast(const OperationReport& report, double made, double wanted) {
  const auto told = std::find_if(report.done.begin(), report.done.end(), [](const auto& done) { return done.what() == finer.key; });
  if (told == report.done.end() || !(made > 0) || !(wanted > 0)) return std::nullopt;
  return at(static_cast<double>(told->count) / 4, report.seconds, made / wanted);
}

std::string in_words(const Forecast& f) { return fmt::format("about {:.0f} triangles, {}", f.triangles, cost_of(f)); }

}  // namespace anvil
