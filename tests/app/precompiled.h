// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/precompiled.h"

#include "tests/app/driver.h"
