// SPDX-License-Identifier: GPL-3.0-or-later
// Text as outlines, by FreeType: those of a font that comes along or is installed.
#pragma once

#include "core/outline.h"

namespace anvil {

struct LetterSettings {
  std::string font = "Inter SemiBold";  ///< of the fonts that come along or are installed: its name as fonts() lists it
  double size = 10;         ///< height of the font's square, in the unit of the outlines
  double flatness = 0.02;   ///< how far a straight piece may lie off its curve
  double letter_space = 0;  ///< added behind each letter
  double line_space = 1.3;  ///< from line to line, as a share of the size
  enum class Align { left, middle, right } align = Align::middle;
};

/// Closed loops, the first coordinate along the lines, the second upwards; what they wind around is the text (Inside::wound).
/// The middle of the first line's base is the origin, its beginning or its end, by the alignment.
/// @param text  UTF-8; lines split by newlines
/// @return an Issue for a font that is not there, a character that it has not, and a text without any outline
Result<std::vector<Loop2>> letter_loops(const std::string& text, const LetterSettings& settings);

/// Names of all fonts: those that come along first.
std::vector<std::string> fonts();

}  // namespace anvil
