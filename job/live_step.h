// SPDX-License-Identifier: GPL-3.0-or-later
// A step whose tools are being dragged: what it gives without those that move is kept, and they are combined with that. The
// result is the same solid as that of all at once, cut into faces another way, in a small part of the time.
#pragma once

#include <optional>

#include "job/content_key.h"
#include "job/step.h"

namespace anvil {

class LiveStep {
 public:
  /// Takes down what a run of the step was made from, so that the next one can tell what moves.
  /// @param before  of the part as it comes into the step, with the step's fields
  /// @param rows    of each tool, trays as one, in order
  void note(const ContentKey& before, std::vector<ContentKey> rows);

  /// Runs a combine step of which some tools differ from those noted last, and notes it. Throws Stopped.
  ///
  /// Those that move have to unite or take away, and what comes after them to unite or take away without touching them: then
  /// the order does not matter. The part has to be in one piece.
  /// @return nothing where that is not so, or the step without them fails
  std::optional<StepOutput> run(const StepKind& kind, const StepInput& input, const ContentKey& before, const std::vector<ContentKey>& rows);

  /// Lets go of what is kept for a drag.
  void rest();
  std::size_t bytes() const;

 private:
  ContentKey before_;
  std::vector<ContentKey> rows_;
  struct Base {
    ContentKey key;
    StepOutput output;
    std::shared_ptr<const Mesh> mesh;
  };
  std::optional<Base> base_;  // the step without the tools that move
  CombineCache base_cache_, moving_cache_;
};

}  // namespace anvil
