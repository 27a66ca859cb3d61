// SPDX-License-Identifier: GPL-3.0-or-later
// What nearly every benchmark includes.
#pragma once

#include "core/precompiled.h"

#include <benchmark/benchmark.h>
#include <stdexcept>

#include "bench/support/compare.h"
