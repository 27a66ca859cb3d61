// SPDX-License-Identifier: GPL-3.0-or-later
// Names of files and parts are bytes; what is written in UTF-8 has to be that.
#pragma once

#include <string>

namespace anvil {

/// The same text, with bytes that are not UTF-8 escaped: "\\xE4".
std::string as_utf8(const std::string& name);

}  // namespace anvil
