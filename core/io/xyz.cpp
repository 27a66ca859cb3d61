// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/io/formats.h"
#include "core/io/text_scanner.h"

namespace anvil {

Import read_xyz(std::string_view bytes) {
  TextScanner scan(bytes, '#');
  Import result;
  for (std::string_view word = scan.word(); !word.empty(); word = scan.word()) {
    Vec3 p;
    p[0] = scan.number(word, "a coordinate");
    p[1] = scan.number(scan.word_in_line(), "a coordinate");
    p[2] = scan.number(scan.word_in_line(), "a coordinate");
    result.mesh.positions.push_back(p);
    scan.next_line();
  }
  return result;
}

}  // namespace anvil
