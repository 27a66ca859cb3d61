// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "job/precompiled.h"

#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <random>
#include <set>
#include <string>
#include <vector>

#include "core/soundness/check.h"
#include "tests/support/meshes.h"
