// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/lettering_fields.h"

namespace anvil {

std::vector<Field> lettering_fields() {
  Field font = text_field("font", "Font", LetterSettings().font, "The name of a font that comes along or is installed.");
  font.suggestions = fonts;
  return {text_field("text", "Text", "Kestrel Point", "What is written; a new line begins a new one."), std::move(font),
          length_field("size", "Size", 10, "Height of the font's square: capitals are about seven tenths of it."),
          folded(share_field("line-space", "Line space", 1.3, 0.1, 10, "From line to line, as a share of the size.")),
          folded(length_field("letter-space", "Letter space", 0, "Added behind each letter.", -1000, 1000)),
          folded(choice_field("align", "Align", "middle", {{"left", "left"}, {"middle", "middle"}, {"right", "right"}}, "Where the lines begin.")),
          folded(length_field("flatness", "Flatness", 0.02, "How far a flat piece may lie off its curve."))};
}

LetterSettings letter_settings(const FieldReader& fields) {
  LetterSettings settings;
  settings.font = fields.text("font");
  settings.size = fields.number("size");
  settings.flatness = fields.number("flatness");
  settings.letter_space = fields.number("letter-space");
  settings.line_space = fields.number("line-space");
  const std::string& align = fields.text("align");
  settings.align = align == "left" ? LetterSettings::Align::left : align == "right" ? LetterSettings::Align::right : LetterSettings::Align::middle;
  return settings;
}

}  // namespace anvil
