// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <Eigen/Geometry>
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <random>
#include <string>
#include <mutex>
#include <set>
#include <vector>
