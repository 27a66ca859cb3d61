// SPDX-License-Identifier: GPL-3.0-or-later
// What nearly every file of the job includes; a change of these rebuilds it all in any case.
#pragma once

#include "core/precompiled.h"

#include "job/job.h"
#include "job/step.h"
