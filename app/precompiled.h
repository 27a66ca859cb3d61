// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/precompiled.h"  // before Qt, whose "emit" is a macro and a name in oneTBB

#include <QtWidgets>

#include "job/edit.h"
#include "job/evaluator.h"
