// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/live_step.h"

#include <algorithm>
#include <cstring>
#include <unordered_map>

namespace anvil {
namespace {

bool only_adds_or_takes(Operation operation) { return operation == Operation::unite || operation == Operation::difference; }

std::size_t opened_count(const StepInput::Tool& tool) {
  if (tool.tray.empty()) return 1;
  std::size_t count = 0;
  for (const StepInput::Tool& inner : tool.tray) count += opened_count(inner);
  return count;
}

/// Where a tool reaches, in the part's frame.
Box3 reach_of(const StepInput::Tool& tool) {
  Box3 box;
  for (const StepInput::Tool& inner : tool.tray) box.add(reach_of(inner));
  if (tool.mesh)
    for (const Vec3& p : tool.mesh->positions) box.add(tool.placement * p);
  return box;
}

bool apart(const Box3& a, const Box3& b, double margin) {
  return a.empty() || b.empty() || (a.hi.array() + margin < b.lo.array()).any() || (b.hi.array() + margin < a.lo.array()).any();
}

/// The tools of a step, split, and which inputs of the whole theirs are.
struct Split {
  std::vector<std::size_t> still, moving;  ///< places among the tools
  std::vector<Index> still_inputs{0}, moving_inputs{0};
};

Split split(const StepInput& input, const std::vector<char>& moves) {
  Split parts;
  Index next = 1;
  for (std::size_t k = 0; k < input.tools.size(); ++k) {
    (moves[k] ? parts.moving : parts.still).push_back(k);
    for (std::size_t n = opened_count(input.tools[k]); n > 0; --n) (moves[k] ? parts.moving_inputs : parts.still_inputs).push_back(next++);
  }
  return parts;
}

/// Does the order of the tools that move and of those that come after them not matter?
bool may_come_last(const StepInput& input, const std::vector<char>& moves) {
  constexpr double clear_of = 1e-4;  // of the size: more than any contact tolerance by default
  Box3 size;
  std::vector<Box3> reach;
  for (const StepInput::Tool& tool : input.tools) reach.push_back(reach_of(tool)), size.add(reach.back());
  for (const Vec3& p : input.mesh->positions) size.add(p);
  const double margin = std::max(clear_of * size.diagonal(), 2 * input.fields.length("contact").value_or(0));
  for (std::size_t k = 0; k < moves.size(); ++k) {
    if (!moves[k]) continue;
    if (!only_adds_or_takes(input.tools[k].operation)) return false;
    for (std::size_t later = k + 1; later < moves.size(); ++later)
      if (!moves[later] && (!only_adds_or_takes(input.tools[later].operation) || !apart(reach[k], reach[later], margin))) return false;
  }
  return true;
}

struct PlaceHash {
  std::size_t operator()(const Vec3& p) const {
    std::size_t h = 0;
    for (int k = 0; k < 3; ++k) {
      std::uint64_t bits = 0;
      const double value = p[k] + 0.0;  // no negative zero
      std::memcpy(&bits, &value, sizeof bits);
      h = (h ^ bits) * 0x9e3779b97f4a7c15u;
      h ^= h >> 29;
    }
    return h;
  }
};

/// Fresh edges of the base that are still there.
void keep_fresh_edges(const StepOutput& base, const Mesh& base_mesh, StepOutput& output) {
  std::unordered_map<Vec3, Index, PlaceHash> at;
  for (const auto& edge : base.fresh_edges)
    for (Index v : edge) at.emplace(base_mesh.positions[v], no_index);
  for (Index v = 0; v < output.mesh.positions.size(); ++v)
    if (const auto it = at.find(output.mesh.positions[v]); it != at.end() && it->second == no_index) it->second = v;
  for (const auto& [v, w] : base.fresh_edges) {
    const Index a = at[base_mesh.positions[v]], b = at[base_mesh.positions[w]];
    if (a != no_index && b != no_index && a != b) output.fresh_edges.push_back({a, b});
  }
}

}  // namespace

void LiveStep::note(const ContentKey& before, std::vector<ContentKey> rows) {
  before_ = before;
  rows_ = std::move(rows);
}

std::optional<StepOutput> LiveStep::run(const StepKind& kind, const StepInput& input, const ContentKey& before, const std::vector<ContentKey>& rows) {
  const bool comparable = kind.key == steps::combine.key && before == before_ && rows.size() == rows_.size() && rows.size() == input.tools.size() && input.pieces == 1;
  std::vector<char> moves(rows.size(), 0);
  std::size_t moving = 0;
  if (comparable)
    for (std::size_t k = 0; k < rows.size(); ++k) moving += moves[k] = rows[k] != rows_[k];
  if (moving == 0 || moving == rows.size() || !may_come_last(input, moves)) {
    note(before, rows);
    return std::nullopt;
  }
  const Split parts = split(input, moves);
  ContentKey key = before;
  for (std::size_t k : parts.still) key = key.with({reinterpret_cast<const char*>(&rows[k]), sizeof rows[k]});
  if (!base_ || base_->key != key) {
    StepInput still = input;
    still.tools.clear();
    for (std::size_t k : parts.still) still.tools.push_back(input.tools[k]);
    still.free_of_crossings = [&](std::size_t which) { return input.free_of_crossings(parts.still_inputs[which]); };
    still.cache = &base_cache_;
    Result<StepOutput> made = kind.run(still);
    base_.reset();
    if (!made || made->pieces > 1 || made->mesh.empty()) {
      note(before, rows);
      return std::nullopt;
    }
    base_ = Base{key, std::move(*made), nullptr};
    base_->mesh = std::make_shared<const Mesh>(std::move(base_->output.mesh));
    moving_cache_ = CombineCache();
  }
  StepInput last = input;
  last.mesh = base_->mesh;
  last.tools.clear();
  for (std::size_t k : parts.moving) last.tools.push_back(input.tools[k]);
  last.free_of_crossings = [&](std::size_t which) { return which == 0 ? base_->output.free_of_crossings : input.free_of_crossings(parts.moving_inputs[which]); };
  last.cache = &moving_cache_;
  Result<StepOutput> made = kind.run(last);
  // What was noted stays: the same tools go on moving.
  if (!made || made->pieces > 1) return std::nullopt;
  StepOutput output = std::move(*made);
  FaceSources sources;
  const FaceSources& of_base = base_->output.sources;
  for (std::size_t f = 0; f < output.mesh.face_count(); ++f) {
    const Index from = output.sources.input[f], face = output.sources.face[f];
    if (from != 0 || face == no_index)
      sources.add(face == no_index ? 0 : parts.moving_inputs[from], face);
    else
      sources.add(parts.still_inputs[of_base.input[face]], of_base.face[face]);
  }
  output.sources = std::move(sources);
  keep_fresh_edges(base_->output, *base_->mesh, output);
  OperationReport base;
  base.done = base_->output.report.done;
  base.moved = base_->output.report.moved;
  base.fallbacks = base_->output.report.fallbacks;
  output.report.begin_with(std::move(base));
  return output;
}

void LiveStep::rest() {
  base_.reset();
  base_cache_ = CombineCache();
  moving_cache_ = CombineCache();
}

std::size_t LiveStep::bytes() const {
  return base_cache_.bytes() + moving_cache_.bytes() + (base_ ? base_->mesh->positions.size() * sizeof(Vec3) + base_->mesh->corners.size() * sizeof(Index) : 0);
}

}  // namespace anvil
