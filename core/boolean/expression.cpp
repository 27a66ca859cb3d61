// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/expression.h"

#include <algorithm>

#include "core/boolean/cells.h"

namespace anvil::boolean {
namespace {

/// Parts of an operand, trays opened.
std::size_t count_parts(const Operand& operand) {
  std::size_t parts = operand.tray.empty() ? 1 : 0;
  for (const Operand& member : operand.tray) parts += count_parts(member);
  return parts;
}

}  // namespace

Expression::Expression(const std::vector<Operand>& operands) {
  for (std::size_t k = 0; k < operands.size(); ++k) {
    const Operation operation = k == 0 ? Operation::unite : operands[k].operation;
    if (operation == Operation::gather) {
      gathered_.push_back(&operands[k]);
      for (std::size_t m = count_parts(operands[k]); m > 0; --m) place_of_gathered_.push_back(places_++);
      continue;
    }
    by_place_ = by_place_ || operation == Operation::split;
    by_class_ = by_class_ || operation == Operation::partition || operation == Operation::inlay;
    trims_ = trims_ || operation == Operation::trim_inside || operation == Operation::trim_outside;
    const bool scores = operation == Operation::score;
    add(operands[k], nodes_, scores || operation == Operation::split, scores);
    nodes_.back().operation = operation;
  }
  // What only gets lines drawn into it or faces taken out need not bound anything.
  const bool only_drawn = nodes_.size() > 1 && std::all_of(nodes_.begin() + 1, nodes_.end(), [](const Node& node) {
    return node.operation == Operation::score || node.operation == Operation::trim_inside || node.operation == Operation::trim_outside;
  });
  if (only_drawn && nodes_[0].part == 0) may_be_sheet_[0] = 1;
}

void Expression::add(const Operand& operand, std::vector<Node>& into, bool sheet, bool score) {
  Node node{operand.operation, no_index, {}};
  if (operand.tray.empty()) {
    node.part = static_cast<Index>(parts_.size());
    parts_.push_back(&operand);
    place_of_part_.push_back(places_++);
    may_be_sheet_.push_back(sheet);
    scores_.push_back(score);
  }
  for (const Operand& member : operand.tray) add(member, node.children, sheet, score);
  into.push_back(std::move(node));
}

bool Expression::inside(const Node& node, std::span<const int> winding) const {
  if (node.part != no_index) return parts_[node.part]->alternate ? winding[node.part] % 2 != 0 : winding[node.part] != 0;
  bool in = false;
  for (std::size_t k = 0; k < node.children.size(); ++k) {
    const bool member = inside(node.children[k], winding);
    const Operation operation = k == 0 ? Operation::unite : node.children[k].operation;
    if (operation == Operation::difference)
      in = in && !member;
    else if (operation == Operation::intersection)
      in = in && member;
    else
      in = in || member;
  }
  return in;
}

std::string Expression::label_of(std::span<const int> winding) const {
  std::string word;
  for (std::size_t k = 0; k < nodes_.size(); ++k) {
    const bool in = inside(nodes_[k], winding);
    // Cells that a later part adds come after all that were there: "~" sorts behind digits and letters.
    switch (nodes_[k].operation) {
      case Operation::unite:
        if (in && word.empty()) word = "a";
        break;
      case Operation::difference:
        if (in) word.clear();
        break;
      case Operation::intersection:
        if (!in) word.clear();
        break;
      case Operation::split:
        if (!word.empty()) word += in ? '1' : '0';
        break;
      case Operation::partition:
        if (!word.empty())
          word += in ? '1' : '0';
        else if (in)
          word.assign(k, '~');
        break;
      case Operation::inlay:
        if (in) word.assign(k, '~');
        break;
      case Operation::score:
      case Operation::trim_inside:
      case Operation::trim_outside:
      case Operation::gather: break;
    }
  }
  return word;
}

bool Expression::trims_away(std::span<const int> winding) const {
  for (const Node& node : nodes_)
    if ((node.operation == Operation::trim_inside && inside(node, winding)) ||
        (node.operation == Operation::trim_outside && !inside(node, winding)))
      return true;
  return false;
}

std::vector<int> Expression::neutral_winding() const {
  std::vector<int> neutral_winding(parts_.size(), not_watched);
  for (std::size_t k = 1; k < nodes_.size(); ++k) {
    if (nodes_[k].part == no_index) continue;
    if (nodes_[k].operation == Operation::unite || nodes_[k].operation == Operation::difference) neutral_winding[nodes_[k].part] = 0;
    if (nodes_[k].operation == Operation::intersection) neutral_winding[nodes_[k].part] = 1;
  }
  return neutral_winding;
}

}  // namespace anvil::boolean
