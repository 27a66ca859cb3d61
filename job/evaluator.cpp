// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/evaluator.h"

#include <fmt/format.h>
#include <spdlog/spdlog.h>

#include <cstring>

#include "core/mesh/union_find.h"
#include "core/soundness/check.h"
#include "job/background.h"

namespace anvil {
namespace {

void put(std::string& key, const void* data, std::size_t size) {
  key.append(static_cast<const char*>(data), size);
}
template <class T>
void put(std::string& key, const T& value) {
  static_assert(std::is_trivially_copyable_v<T>);
  put(key, &value, sizeof value);
}

/// A tool's placement in the frame of its part. Taken straight from the tool when it rides along, so that
/// moving both leaves it unchanged to the last bit.
Affine relative_placement(const Job& job, const Part& part, const Part& tool) {
  if (tool.rides_on == part.id) return tool.placement.matrix();
  return job.world_of(part.id).inverse() * job.world_of(tool.id);
}

bool is_free_of_crossings(const SoundnessReport& report) {
  return report.of(Family::crossing_faces).count == 0 && report.of(Family::zero_area_faces).count == 0;
}

/// A result of the engine, used as a part again. Not so where parts were only gathered, where pieces lie wall to wall, or
/// where rounding was left unsettled.
bool engine_left_no_crossings(const Evaluated& made) {
  return !made.open_on_purpose && made.pieces < 2 &&
         std::none_of(made.boolean.done.begin(), made.boolean.done.end(),
                      [](const auto& done) { return done.what == "gathered" || done.what == "rounding_not_settled"; });
}

}  // namespace

std::vector<Mesh> separate_pieces(const Evaluated& evaluated) {
  const Mesh& mesh = *evaluated.mesh;
  std::vector<Index> piece = evaluated.piece;
  Index count = evaluated.pieces;
  if (count < 2) {
    // Shells: faces that share vertices.
    UnionFind sets(mesh.positions.size());
    for (std::size_t f = 0; f < mesh.face_count(); ++f)
      for (Index v : mesh.face(f)) sets.unite(mesh.face(f)[0], v);
    std::map<Index, Index> number;
    for (std::size_t f = 0; f < mesh.face_count(); ++f) {
      const Index shell = mesh.face(f).empty() ? 0 : sets.find(mesh.face(f)[0]);
      piece.push_back(number.try_emplace(shell, static_cast<Index>(number.size())).first->second);
    }
    count = static_cast<Index>(number.size());
  }
  return taken_apart(mesh, piece, count);
}

std::string RecipeCache::source_key(const Part& part) {
  std::string key;
  if (const auto* primitive = std::get_if<Primitive>(&part.source)) {
    put(key, 'p');
    put(key, primitive->kind);
    for (double v : primitive->values) put(key, v);
  } else {
    put(key, 'm');
    put(key, std::get<ImportedSource>(part.source).mesh.get());
  }
  return key;
}

RecipeCache::Entry& RecipeCache::entry_at(const std::string& key, const Part& part) {
  Entry& entry = entries_[key];
  if (entry.content == 0) {
    entry.content = next_content_++;
    if (const auto* imported = std::get_if<ImportedSource>(&part.source)) entry.keeps_alive = imported->mesh;
  }
  entry.age = 0;
  return entry;
}

bool RecipeCache::source_is_free_of_crossings(const Part& part, const Mesh& source, const Control& control) {
  // The entry of the same part without a recipe.
  Entry& entry = entry_at(source_key(part), part);
  if (!entry.report) entry.report = std::make_shared<const SoundnessReport>(check_soundness(source, control.stop));
  return is_free_of_crossings(*entry.report);
}

RecipeCache::Entry& RecipeCache::entry_of(const Job& job, PartId id) {
  const Part& part = job.at(id);
  std::string key = source_key(part);
  if (const auto source = entries_.find(key); source != entries_.end()) source->second.age = 0;  // what it tells is used again
  for (const Step& step : part.recipe) {
    const auto& combine = std::get<CombineStep>(step);
    if (!combine.on) continue;
    put(key, 'c');
    for (const ToolUse& use : combine.tools) {
      const Part* tool = job.find(use.tool);
      if (!use.on || tool == nullptr) continue;
      put(key, use.operation);
      put(key, content_of(job, use.tool));
      const Affine placed = relative_placement(job, part, *tool);
      put(key, placed.data(), 16 * sizeof(double));
      key += tool->name;  // messages name the tool
    }
  }
  return entry_at(key, part);
}

std::uint64_t RecipeCache::content_of(const Job& job, PartId id) {
  return entry_of(job, id).content;
}

Evaluated RecipeCache::run_recipe(const Job& job, const Part& part, const Control& control) {
  Evaluated result;
  if (const auto* primitive = std::get_if<Primitive>(&part.source)) {
    Result<Mesh> made = make_mesh(*primitive);
    if (!made) {
      result.error = made.issue();
      result.error->subject = part.name;
      result.mesh = std::make_shared<const Mesh>();
      return result;
    }
    result.mesh = std::make_shared<const Mesh>(std::move(*made));
  } else {
    result.mesh = std::get<ImportedSource>(part.source).mesh;
  }
  for (const Step& step : part.recipe) {
    const auto& combine_step = std::get<CombineStep>(step);
    if (!combine_step.on) continue;
    std::vector<Operand> operands{{result.mesh, part.name, Operation::unite, Affine::Identity()}};
    operands[0].free_of_crossings = result.boolean.seconds > 0 ? engine_left_no_crossings(result)
                                                               : source_is_free_of_crossings(part, *result.mesh, control);
    for (const ToolUse& use : combine_step.tools) {
      const Part* tool = job.find(use.tool);
      if (!use.on || tool == nullptr) continue;
      const EvaluatedPtr evaluated = evaluate(job, use.tool, control, false);
      if (evaluated->error) {
        result.error = evaluated->error;
        return result;
      }
      Operand operand{evaluated->mesh, tool->name, use.operation, relative_placement(job, part, *tool)};
      operand.free_of_crossings = is_free_of_crossings(*check(job, use.tool, control));
      operands.push_back(std::move(operand));
    }
    if (operands.size() < 2) continue;
    CombineSettings settings;
    settings.cache = &combine_caches_[part.id];
    Result<BooleanResult> combined = combine(operands, control, settings);
    if (!combined) {
      result.error = combined.issue();
      return result;
    }
    result.mesh = std::make_shared<const Mesh>(std::move(combined->mesh));
    result.boolean = std::move(combined->report);
    result.pieces = std::max<Index>(combined->pieces, 1);
    result.piece = result.pieces > 1 ? std::move(combined->piece) : std::vector<Index>();
    result.open_on_purpose = combined->open_on_purpose;
    result.fresh_edges = std::move(combined->fresh_edges);
  }
  return result;
}

EvaluatedPtr RecipeCache::evaluate(const Job& job, PartId id, const Control& control, bool with_drawable) {
  Entry& entry = entry_of(job, id);
  // entries_ may rehash while tools are evaluated, but references to its elements stay valid.
  if (!entry.evaluated)
    entry.evaluated = std::make_shared<const Evaluated>(run_recipe(job, job.at(id), control));
  if (with_drawable && !entry.evaluated->drawable) {
    Evaluated complete = *entry.evaluated;
    complete.drawable = std::make_shared<const Drawable>(make_drawable(*complete.mesh, control.stop, complete.fresh_edges));
    entry.evaluated = std::make_shared<const Evaluated>(std::move(complete));
  }
  return entry.evaluated;
}

ReportPtr RecipeCache::check(const Job& job, PartId id, const Control& control) {
  Entry& entry = entry_of(job, id);
  if (!entry.report) {
    const EvaluatedPtr evaluated = evaluate(job, id, control, false);
    entry.report = std::make_shared<const SoundnessReport>(
        check_pieces(*evaluated->mesh, evaluated->piece, evaluated->pieces, control.stop));
  }
  return entry.report;
}

ReportPtr RecipeCache::known_report(const Job& job, PartId id) {
  return entry_of(job, id).report;
}

void RecipeCache::forget_unused() {
  for (auto it = entries_.begin(); it != entries_.end();)
    it = it->second.age++ > 8 ? entries_.erase(it) : std::next(it);
}

Evaluator::Evaluator(std::function<void(const Published&)> publish)
    : publish_(std::move(publish)), thread_([this] { work(); }) {}

Evaluator::~Evaluator() {
  {
    const std::lock_guard lock(mutex_);
    quitting_ = true;
    stop_.request_stop();
  }
  changed_.notify_all();
  thread_.join();
}

std::uint64_t Evaluator::request(JobPtr job, PartId first, bool live) {
  const std::lock_guard lock(mutex_);
  pending_ = std::move(job);
  first_ = first;
  ++number_;
  if (!live || checking_) stop_.request_stop();
  changed_.notify_all();
  return number_;
}

void Evaluator::stop() {
  const std::lock_guard lock(mutex_);
  pending_.reset();
  stop_.request_stop();
}

void Evaluator::wait_idle() {
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [&] { return !pending_ && !busy_; });
}

Evaluator::Activity Evaluator::activity() const {
  const std::lock_guard lock(mutex_);
  if (!busy_ || what_.empty()) return {};
  const std::chrono::duration<double> elapsed = std::chrono::steady_clock::now() - since_;
  return {what_, elapsed.count(), progress_};
}

void Evaluator::work() {
  step_back_for_the_window();
  std::unique_lock lock(mutex_);
  for (;;) {
    changed_.wait(lock, [&] { return quitting_ || pending_; });
    if (quitting_) return;
    const JobPtr job = std::move(pending_);
    pending_.reset();
    const PartId first = first_;
    const std::uint64_t number = number_;
    busy_ = true;
    checking_ = false;
    stop_ = std::stop_source();
    since_ = std::chrono::steady_clock::now();
    lock.unlock();
    try {
      serve(*job, first, number);
    } catch (const Stopped&) {
      spdlog::debug("request {} stopped", number);
    } catch (const std::exception& error) {
      // Out of memory and the like: the part keeps its last result and says why.
      Evaluated failed;
      failed.mesh = std::make_shared<const Mesh>();
      failed.error =
          Issue{fmt::format("could not be computed ({})", error.what()), "", {}, "undo the last change"};
      failed.drawable = std::make_shared<const Drawable>();
      publish_({first, number, std::make_shared<const Evaluated>(std::move(failed)), nullptr});
    }
    lock.lock();
    busy_ = false;
    what_.clear();
    changed_.notify_all();
  }
}

void Evaluator::serve(const Job& job, PartId first, std::uint64_t number) {
  std::vector<PartId> order;
  if (job.find(first) != nullptr) order.push_back(first);
  for (const PartPtr& part : job.parts)
    if (part->id != first) order.push_back(part->id);
  auto begin = [&](const char* verb, PartId id) {
    const std::lock_guard lock(mutex_);
    what_ = fmt::format("{} {}", verb, job.at(id).name);
    since_ = std::chrono::steady_clock::now();
    progress_ = 0;
    return Control{stop_.get_token(), &progress_};
  };
  cache_.forget_unused();
  std::vector<PartId> unchecked;
  for (PartId id : order) {
    const Control control = begin("Combining", id);
    const EvaluatedPtr evaluated = cache_.evaluate(job, id, control, true);
    const ReportPtr report = cache_.known_report(job, id);
    publish_({id, number, evaluated, report});
    if (!report) unchecked.push_back(id);
  }
  {
    const std::lock_guard lock(mutex_);
    checking_ = true;
    if (pending_) return;
  }
  for (PartId id : unchecked) {
    const Control control = begin("Checking", id);
    const ReportPtr report = cache_.check(job, id, control);
    publish_({id, number, cache_.evaluate(job, id, control, true), report});
  }
}

}  // namespace anvil
