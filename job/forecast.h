// SPDX-License-Identifier: GPL-3.0-or-later
// What making a skin coarser or finer will come to, told from one that was made.
#pragma once

#include <optional>

#include "core/report.h"

namespace anvil {

struct Forecast {
  double triangles = 0, seconds = 0, bytes = 0;
};

/// Tells what the same comes to at half the detail. Later forecasts begin from it.
/// @param triangles  that were made
void tell_finer(OperationReport& report, std::size_t triangles);

/// What a step comes to at another detail, by its report: a skin has as many triangles more as the square of its detail is less, and takes a little less than that in time.
/// @param made,wanted  details > 0: that of the report, and another
/// @return nothing where the report tells nothing of it
std::optional<Forecast> forecast(const OperationReport& report, double made, double wanted);

/// "about 48000 triangles, 1.2 s, 69 MB"
std::string in_words(const Forecast& forecast);

}  // namespace anvil
