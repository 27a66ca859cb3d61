// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/pass_series.h"

#include <cmath>
#include <numbers>

namespace anvil::recast {

std::vector<float> series_of(const PassPair& pair, Index passes) {
  const std::size_t nodes = (pair.widening != 0 ? 2 : 1) * static_cast<std::size_t>(passes);
  std::vector<double> turns(4 * nodes), values(nodes), series(nodes, 0);
  for (std::size_t k = 0; k < turns.size(); ++k) turns[k] = std::cos(std::numbers::pi * static_cast<double>(k) / static_cast<double>(2 * nodes));
  for (std::size_t k = 0; k < nodes; ++k) values[k] = (std::pow(pair.gain(turns[2 * k + 1]), passes) - 1) / (turns[2 * k + 1] - 1);
  for (std::size_t j = 0; j < nodes; ++j)
    for (std::size_t k = 0; k < nodes; ++k) series[j] += (j > 0 ? 2.0 : 1.0) / static_cast<double>(nodes) * values[k] * turns[j * (2 * k + 1) % turns.size()];
  constexpr double enough = 1e-3;
  for (double left_out = std::abs(series.back()); series.size() > 1 && left_out < enough; left_out += std::abs(series.back())) series.pop_back();
  return {series.begin(), series.end()};
}

}  // namespace anvil::recast
