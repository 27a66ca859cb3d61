// SPDX-License-Identifier: GPL-3.0-or-later
// Mirror: one half of the part doubled, or a mirrored copy added, without a wall inside.
#include "core/shape/mirror.h"

#include "job/step.h"

namespace anvil {
namespace {

Result<StepOutput> run_mirror(const StepInput& input) {
  MirrorSettings settings;
  settings.point = input.fields.vector("point");
  settings.normal = input.fields.vector("normal");
  settings.how = input.fields.text("how") == "half" ? MirrorHow::half : MirrorHow::copy;
  settings.weld = input.fields.number("weld");
  settings.free_of_crossings = input.free_of_crossings(0);
  settings.cache = input.cache;
  Result<Mirrored> mirrored = mirror(input.mesh, input.name, settings, input.control);
  if (!mirrored) return mirrored.issue();
  StepOutput output = as_output(std::move(mirrored->result));
  output.free_of_crossings = mirrored->soundness.free_of_crossings();
  output.soundness = std::make_shared<const SoundnessReport>(std::move(mirrored->soundness));
  return output;
}

}  // namespace

const StepKind steps::mirror = {
    "mirror", "Mirror", "mirror", "shape", "Double one half of the part, or add a mirrored copy, without a wall inside.",
    ToolRule::none,
    {point_field("point", "Through", Vec3::Zero(), "A point of the mirror plane, measured from the part's own origin."),
     direction_field("normal", "Facing", Vec3(1, 0, 0), "Across the mirror plane; the half that it points away from is kept.", "point"),
     choice_field("how", "How", "half", {{"half", "one half, doubled"}, {"copy", "add a mirrored copy"}},
                  "Double one half, or add a copy of the whole."),
     length_field("weld", "Weld within", 0, "Vertices nearer to the plane than this are put onto it; 0: than a millionth of the size.", 0)},
    run_mirror, 6, "Shift+M"};

}  // namespace anvil
