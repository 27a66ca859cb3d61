// SPDX-License-Identifier: GPL-3.0-or-later
// What an operation did beside its plain result, for the rail, the card and the command line.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "core/types.h"

namespace anvil {

/// Something that an operation may have to tell, in words. Each stands beside the code that tells it.
struct Note {
  const char* key;        ///< stable, as in docs/cli.md
  const char *one, *many; ///< {0} is the count, {1} the part
  /// Who wants to know: people looking for trouble, people at the step's card, both of these, or programs only.
  enum class Place { rail, card, both, program } place = Place::rail;
};

struct OperationReport {
  static constexpr std::size_t max_places = 100;
  struct Done {
    const Note* note;
    std::size_t count = 0;
    std::string part;               ///< as the operand was named
    std::vector<Vec3> places = {};  ///< where, in the operation's space; at most max_places
    std::string_view what() const { return note->key; }
  };
  struct Stage {
    std::string name;
    double seconds;
  };
  std::vector<Done> done;
  std::vector<Stage> stages;
  double seconds = 0;        ///< wall clock, the whole operation
  double moved = 0;  ///< the largest distance by which contact and rounding moved a vertex, or bent an edge or a face to one
  std::vector<std::string> fallbacks;  ///< names of the ways that were taken because the first ended in a contradiction
  std::string empty_reason;  ///< why the result is empty; "" when it is not

  void tell(const Note& note, std::size_t count, std::string part, std::vector<Vec3> places = {}) {
    done.push_back({&note, count, std::move(part), std::move(places)});
  }
  /// Adds what an operation that followed, or one that came before, had to tell.
  void add(OperationReport later);
  void begin_with(OperationReport earlier);
};

/// What was done, as people read it: "2 holes closed in Float housing".
std::string in_words(const OperationReport::Done& done);

}  // namespace anvil
