// SPDX-License-Identifier: GPL-3.0-or-later
// What an operation told beside its result.
#pragma once

#include "core/report.h"

namespace anvil::test {

/// The first of that key; null where it is not told.
inline const OperationReport::Done* told(const OperationReport& report, std::string_view what) {
  for (const OperationReport::Done& done : report.done)
    if (done.what() == what) return &done;
  return nullptr;
}

/// How many of that; 0 where it is not told.
inline std::size_t count_told(const OperationReport& report, std::string_view what) {
  const OperationReport::Done* done = told(report, what);
  return done == nullptr ? 0 : done->count;
}

/// Where; empty where it is not told.
inline std::vector<Vec3> places_told(const OperationReport& report, std::string_view what) {
  const OperationReport::Done* done = told(report, what);
  return done == nullptr ? std::vector<Vec3>() : done->places;
}

}  // namespace anvil::test
