// SPDX-License-Identifier: GPL-3.0-or-later
// Headers that nearly every file of the core and the job includes, and those that take longest to read.
#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <functional>
#include <limits>
#include <map>
#include <memory>
#include <numeric>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <tbb/blocked_range.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>
#include <tbb/parallel_sort.h>
#include <unordered_map>
#include <vector>

#include "core/mesh/edges.h"
#include "core/mesh/mesh.h"
#include "core/report.h"
