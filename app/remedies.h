// SPDX-License-Identifier: GPL-3.0-or-later
// Ways out of a problem that are offered as buttons, where the problem is told.
#pragma once

#include "app/session.h"

namespace anvil::app {

/// Ways out of why a step failed, for its card.
std::vector<Remedy> remedies_for(Session& session, PartId part, StepId failed);

/// Makes parts tools of a part, as one change. Where a part would need itself by that, it is refused with the chain named, and
/// the way out is offered: snapshots of those tools as they are now.
/// @param to  where their rows come; with step 0 into the one that combines at the place for new steps, or a new one
bool make_tools(Session& session, const QString& label, PartId part, const std::vector<PartId>& tools, Operation operation,
                const edit::RowPlace& to = {0, 0, edit::RowPlace::last});

}  // namespace anvil::app
