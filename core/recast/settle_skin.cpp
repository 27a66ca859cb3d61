// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/recast/settle_skin.h"

#include "core/boolean/combine.h"
#include "core/soundness/check.h"

namespace anvil::recast {

bool settle_skin(Mesh& mesh, std::vector<Index>& face, bool impatient, const Control& control) {
  CombineSettings settings;
  settings.resolve = true;
  settings.impatient = impatient;
  settings.contact = 0;  // what comes near is as near as the ground has it
  Result<BooleanResult> settled = combine({{std::make_shared<const Mesh>(mesh), "the skin"}}, control, settings);
  if (!settled || settled->mesh.empty() || !is_sound(settled->mesh, {}, 1, control.stop)) return false;
  face = std::move(settled->sources.face);
  mesh = std::move(settled->mesh);
  mesh.materials = {};
  mesh.regions = {};
  return true;
}

}  // namespace anvil::recast
