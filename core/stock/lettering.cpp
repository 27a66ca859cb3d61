// SPDX-License-Identifier: GPL-3.0-or-later
// Lettering as a solid of its own, lying on the ground.
#include "core/lettering_fields.h"
#include "core/mesh/planar_region.h"
#include "core/stock/kinds.h"

namespace anvil {

StockKind lettering_kind() {
  std::vector<Field> fields = lettering_fields();
  fields.insert(fields.begin() + 3, length_field("depth", "Depth", 2, "How thick the letters are."));
  return {"lettering-solid", "Lettering solid", "lettering", "Text as a solid; to cut it into a part, use Lettering at Shape.", fields,
          [](const FieldReader& f) -> Result<Mesh> { return prism(planar_region(*letter_loops(f.text("text"), letter_settings(f)), Inside::wound), {}, 0, f.number("depth")); },
          [](const FieldReader& f) -> std::optional<Issue> {
            const auto loops = letter_loops(f.text("text"), letter_settings(f));
            return loops ? std::nullopt : std::optional(loops.issue());
          }};
}

}  // namespace anvil
