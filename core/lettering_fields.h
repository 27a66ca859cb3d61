// SPDX-License-Identifier: GPL-3.0-or-later
// The fields of lettering, which a kind of stock and a kind of step have in common.
#pragma once

#include "core/fields.h"
#include "core/lettering.h"

namespace anvil {

/// Text, font and size first, then spaces, alignment and flatness.
std::vector<Field> lettering_fields();
LetterSettings letter_settings(const FieldReader& fields);

}  // namespace anvil
