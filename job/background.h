// SPDX-License-Identifier: GPL-3.0-or-later
// Threads that compute step back for the window's own thread, so that it turns while both cores are busy.
#pragma once

namespace anvil {

/// Lowers the priority of the calling thread, and of all threads of the task pool from now on. May be called again.
void step_back_for_the_window();

}  // namespace anvil
