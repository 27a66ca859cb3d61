// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/report.h"

namespace anvil {

std::string in_words(const OperationReport::Done& done) {
  struct Text {
    const char *what, *one, *many;  // {0} the count, {1} the part
  };
  static constexpr Text texts[] = {
      {"holes_closed", "1 hole closed in {1}", "{0} holes closed in {1}"},
      {"faces_turned_right", "1 face of {1} turned right", "{0} faces of {1} turned right"},
      {"operands_turned_right", "{1} was inside out and has been turned right", "{1} was inside out and has been turned right"},
      {"zero_area_faces_dropped", "1 zero-area face of {1} left out", "{0} zero-area faces of {1} left out"},
      {"cuts_as_sheet", "{1} is open and cuts as a sheet", "{1} is open and cuts as a sheet"},
      {"changes_nothing", "{1} changes nothing where it is", "{1} changes nothing where it is"},
      {"made_to_meet", "1 place made to meet within the contact tolerance", "{0} places made to meet within the contact tolerance"},
      {"contact_left_out", "near faces could not all be made to meet: combined without contact",
       "near faces could not all be made to meet: combined without contact"},
      {"tools_nudged", "faces lay too near each other for rounding: 1 tool was moved by a hundred-billionth of the size",
       "faces lay too near each other for rounding: {0} tools were moved by a hundred-billionth of the size"},
      {"contact_edges", "the result touches itself along 1 edge and is separated there",
       "the result touches itself along {0} edges and is separated there"},
      {"skins_left_out", "1 skin thinner than rounding left out", "{0} skins thinner than rounding left out"},
      {"rounding_not_settled", "rounding could not be settled: look at the places on the rail",
       "rounding could not be settled: look at the places on the rail"},
      {"polygons_untouched", "1 polygon came through untouched", "{0} polygons came through untouched"},
      {"gathered", "{1} gathered as it is", "{1} gathered, {0} parts as they are"},
      {"plane_misses", "the plane does not cut {1}", "the plane does not cut {1}"},
      {"put_on_plane", "1 vertex put onto the mirror plane", "{0} vertices put onto the mirror plane"},
      {"seam_welded", "the halves share 1 vertex in the mirror plane", "the halves share {0} vertices in the mirror plane"},
      {"walls_left_out", "1 face in the mirror plane left out, so that no wall stays inside",
       "{0} faces in the mirror plane left out, so that no wall stays inside"},
      {"float_settled", "settled to 32-bit coordinates", "settled to 32-bit coordinates in {0} rounds"},
  };
  for (const Text& text : texts)
    if (done.what == text.what) return fmt::format(fmt::runtime(done.count == 1 ? text.one : text.many), done.count, done.part);
  return {};
}

}  // namespace anvil
