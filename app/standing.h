// SPDX-License-Identifier: GPL-3.0-or-later
// How what is shown of a part stands to what its recipe asks for now.
#pragma once

#include <QString>

namespace anvil::app {

enum class Standing {
  current,     ///< it is that
  being_made,  ///< that is being made; what is shown is older, or is not checked yet
  stopped,     ///< somebody stopped it; what is shown is older
  failed       ///< it came to trouble; what is shown is what there was before that
};

/// "being made", "stopped", "failed"; empty for what is current.
QString in_words(Standing standing);

}  // namespace anvil::app
