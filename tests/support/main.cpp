// SPDX-License-Identifier: GPL-3.0-or-later
#define CATCH_CONFIG_MAIN
#include <catch2/catch.hpp>
