// SPDX-License-Identifier: GPL-3.0-or-later
// What a combination asks of each cell of space: to which piece of the result it belongs, if to any.
#pragma once

#include <string>

#include "core/boolean/combine.h"

namespace anvil::boolean {

/// The operands as a tree over the parts, trays opened.
class Expression {
 public:
  explicit Expression(const std::vector<Operand>& operands);

  /// All parts in order, trays opened, without those that are only gathered.
  const std::vector<const Operand*>& parts() const { return parts_; }
  const std::vector<const Operand*>& gathered() const { return gathered_; }
  /// Of each of parts(), and of each member of gathered(): its place among all operands, trays opened.
  const std::vector<Index>& place_of_part() const { return place_of_part_; }
  const std::vector<Index>& place_of_gathered() const { return place_of_gathered_; }
  /// Per part: an open surface may be used as it is (the tool of a split or a score, and what is only scored and trimmed).
  const std::vector<char>& may_be_sheet() const { return may_be_sheet_; }
  /// Per part: its faces draw edges that stay (score).
  const std::vector<char>& scores() const { return scores_; }

  /// What becomes of the cell with these winding numbers: "" when it is empty, else a word that is equal for
  /// cells of one label. Words sort in the order in which pieces are numbered.
  std::string label_of(std::span<const int> winding) const;
  /// Per part, see CellClassifier::neutral: for those, not of a tray, that only add or take away space.
  std::vector<int> neutral_winding() const;
  /// Cells of one label that do not touch are pieces of their own.
  bool pieces_by_place() const { return by_place_; }
  bool makes_pieces() const { return by_place_ || by_class_; }
  /// An open trim takes away a face of the result whose solid side lies in a cell with these winding numbers.
  bool trims_away(std::span<const int> winding) const;
  bool trims() const { return trims_; }

 private:
  struct Node {
    Operation operation = Operation::unite;
    Index part = no_index;       // of a leaf
    std::vector<Node> children;  // of a tray
  };
  void add(const Operand& operand, std::vector<Node>& into, bool sheet, bool score);
  bool inside(const Node& node, std::span<const int> winding) const;

  std::vector<Node> nodes_;
  std::vector<const Operand*> parts_, gathered_;
  std::vector<Index> place_of_part_, place_of_gathered_;
  Index places_ = 0;
  std::vector<char> may_be_sheet_, scores_;
  bool by_place_ = false, by_class_ = false, trims_ = false;
};

}  // namespace anvil::boolean
