// SPDX-License-Identifier: GPL-3.0-or-later
// Threads that compute step back for the window's own thread, so that it turns while all cores are busy, and for the one that
// makes what is dragged.
#pragma once

namespace anvil {

enum class Behind { window, drag };

/// Lowers the priority of the calling thread, and of all threads of the task pool from now on. May be called again.
void step_back(Behind behind);

}  // namespace anvil
