// SPDX-License-Identifier: GPL-3.0-or-later
// What chamfers and rounds cost on bodies with thousands of edges.
#pragma once

namespace anvil::bench {

/// Registers a row per body and width. Taken as known: that a body crosses itself nowhere, and which edges the step before it made.
void add_finish_rows();

}  // namespace anvil::bench
