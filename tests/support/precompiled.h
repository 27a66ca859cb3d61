// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <Eigen/Geometry>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <mutex>
#include <random>
#include <set>
#include <string>
#include <vector>
