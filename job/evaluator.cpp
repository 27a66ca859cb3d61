// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/evaluator.h"

#include <fmt/format.h>
#include <spdlog/spdlog.h>
#include <tbb/task_arena.h>

#include "job/background.h"
#include "job/edit.h"

namespace anvil {
namespace {

/// How long what has begun stays alone before the next lane takes something up beside it.
constexpr std::chrono::milliseconds patience{250};

/// The lane of this thread (Evaluator::Lane).
thread_local void* own_lane = nullptr;

/// The same job with a part's recipe only as far as a step of it.
JobPtr cut_short(const JobPtr& job, const UpTo& up_to) {
  const Job::Found found = job->find_step(up_to.step);
  if (up_to.part == 0 || !found || found.part->id != up_to.part) return job;
  return std::make_shared<const Job>(edit::change_part(*job, up_to.part, [&](Part& part) {
    const auto last = std::find_if(part.recipe.begin(), part.recipe.end(), [&](const Step& step) { return step.id == up_to.step; });
    part.recipe.erase(last + 1, part.recipe.end());
  }));
}

/// Why a part could not be computed at all.
Issue issue_of(const std::exception& error) {
  const bool is_short_of_memory = dynamic_cast<const std::bad_alloc*>(&error) != nullptr;
  return {is_short_of_memory ? "could not be computed: there is not enough memory" : fmt::format("could not be computed ({})", error.what()), cast_token(0), {},
          is_short_of_memory ? "close other jobs, or undo the last change" : "undo the last change"};
}

/// Runs a computation so that the threads of the pool come to it before others, or after them.
void with_priority(tbb::task_arena::priority priority, const std::function<void()>& work) {
  tbb::task_arena arena(tbb::task_arena::automatic, 1, priority);
  try {
    arena.initialize();
  } catch (const std::exception&) {  // there is hardly any memory left: what needs none may still be done
    return work();
  }
  arena.execute(work);
}

}  // namespace

bool Evaluator::Plan::wants(PartId id, const ContentKey& key) const {
  const auto it = parts.find(id);
  return it != parts.end() && it->second.key == key;
}

Evaluator::Evaluator(std::function<void(const Published&)> publish) : publish_(std::move(publish)) {
  runner_.on_making = [this](StepId step, const ContentKey& key) { note_making(step, key); };
  leader_.thread = std::thread([this] { lead(); });
  for (std::size_t k = 0; k < lanes_.size(); ++k) lanes_[k].thread = std::thread([this, k] { serve(k); });
}

Evaluator::~Evaluator() {
  stop();
  {
    const std::lock_guard lock(mutex_);
    quitting_ = true;
  }
  changed_.notify_all();
  leader_.thread.join();
  for (Lane& lane : lanes_) lane.thread.join();
}

std::uint64_t Evaluator::request(JobPtr job, PartId first, bool live, UpTo up_to) {
  const std::lock_guard lock(mutex_);
  // One that is not live is planned in any case: it says what is settled while something is dragged.
  if (!live) pending_.clear();
  if (!pending_.empty() && pending_.back().live) pending_.pop_back();
  pending_.push_back({std::move(job), first, live, up_to, ++number_});
  if (!live) leader_.stop.request_stop();
  changed_.notify_all();
  return number_;
}

void Evaluator::stop() {
  const std::lock_guard lock(mutex_);
  pending_.clear();
  queue_.clear();
  plan_.reset();
  leader_.stop.request_stop();
  for (Lane& lane : lanes_) lane.stop.request_stop();
  changed_.notify_all();
}

bool Evaluator::is_busy() const {
  return leading_ || std::any_of(lanes_.begin(), lanes_.end(), [](const Lane& lane) { return lane.task.has_value(); });
}

RecipeRunner::Memory Evaluator::memory() const {
  const std::lock_guard lock(mutex_);
  return memory_;
}

void Evaluator::wait_idle() {
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [&] { return pending_.empty() && queue_.empty() && !is_busy(); });
}

Evaluator::Activity Evaluator::activity() const {
  const std::lock_guard lock(mutex_);
  const Lane* shown = leading_ && !leader_.what.empty() ? &leader_ : nullptr;
  const auto comes_before = [&](const Lane& a, const Lane& b) {
    const auto is_first = [&](const Lane& lane) { return plan_ && lane.task->part == plan_->request.first; };
    return is_first(a) != is_first(b) ? is_first(a) : a.since < b.since;
  };
  if (shown == nullptr)
    for (const Lane& lane : lanes_)
      if (lane.task && !lane.what.empty() && (shown == nullptr || comes_before(lane, *shown))) shown = &lane;
  if (shown == nullptr) return {};
  const std::chrono::duration<double> elapsed = Clock::now() - shown->since, on_step = Clock::now() - shown->step_since;
  return {shown->what, elapsed.count(), shown->progress, shown->step, on_step.count()};
}

Control Evaluator::begin(Lane& lane, const char* verb, const std::string& name) {
  const std::lock_guard lock(mutex_);
  lane.what = fmt::format("{} {}", verb, name);
  lane.step = 0;
  lane.since = Clock::now();
  lane.progress = 0;
  return {lane.stop.get_token(), &lane.progress};
}

void Evaluator::note_making(StepId step, const ContentKey& key) {
  const std::lock_guard lock(mutex_);
  Lane& lane = *static_cast<Lane*>(own_lane);
  // A task that a newer request has no use for goes on only as far as it makes what that needs for something else.
  if (lane.task && (!plan_ || (!plan_->wants(lane.task->part, lane.task->key) && !plan_->keys.contains(key)))) {
    lane.over = true;
    throw Stopped{};
  }
  lane.making = key;
  lane.step = step;
  lane.step_since = Clock::now();
}

void Evaluator::publish(PartId part, const ContentKey& key, Published published) {
  const std::lock_guard in_order(publishing_);
  {
    const std::lock_guard lock(mutex_);
    static_cast<Lane*>(own_lane)->over = !published.coarser;
    if (!plan_ || !plan_->wants(part, key)) return;
    published.part = part;
    published.request = plan_->request.number;
    published.job = plan_->job_for(part);
  }
  publish_(published);
}

void Evaluator::attempt(Lane& lane, const Plan& plan, PartId id, const std::function<void()>& work) {
  try {
    try {
      return work();
    } catch (const std::bad_alloc&) {
      // Beside others there may not be enough for what there is enough for alone.
      if (!wait_to_be_alone(lane)) throw;
    }
    work();
  } catch (const std::exception& error) {
    spdlog::error("{}: {}", plan.request.job->at(id).name, error.what());
    publish(id, plan.parts.at(id).key, {id, 0, nullptr, nullptr, nullptr, issue_of(error)});
  }
}

/// Waits until no other lane computes; of several that wait for this, one goes on after the other. Throws Stopped.
/// @return false: it was alone all the time, or does not wait
bool Evaluator::wait_to_be_alone(Lane& lane) {
  std::unique_lock lock(mutex_);
  const auto is_alone = [&] {
    return std::all_of(lanes_.begin(), lanes_.end(), [&](const Lane& other) { return &other == &lane || !other.task || (other.waits_to_be_alone && &other > &lane); });
  };
  const bool was_alone = std::none_of(lanes_.begin(), lanes_.end(), [&](const Lane& other) { return &other != &lane && other.task; });
  if (&lane == &leader_ || was_alone) return false;
  lane.waits_to_be_alone = true;
  changed_.notify_all();
  changed_.wait(lock, [&] { return lane.stop.stop_requested() || is_alone(); });
  lane.waits_to_be_alone = false;
  if (lane.stop.stop_requested()) throw Stopped{};
  return true;
}

// ---- The leader ---------------------------------------------------------------------------------------------------------

void Evaluator::lead() {
  step_back(Behind::window);
  own_lane = &leader_;
  std::unique_lock lock(mutex_);
  for (;;) {
    changed_.wait(lock, [&] { return quitting_ || !pending_.empty(); });
    if (quitting_) return;
    Request request = std::move(pending_.front());
    pending_.pop_front();
    leading_ = true;
    leader_.stop = std::stop_source();
    const std::stop_token stop = leader_.stop.get_token();
    lock.unlock();
    PlanPtr plan;
    try {
      plan = this->plan(request);
    } catch (const std::exception& error) {
      spdlog::error("request {}: {}", request.number, error.what());
      refuse(request, issue_of(error));
    }
    lock.lock();
    if (plan && !stop.stop_requested()) {
      take_up(plan);
      changed_.notify_all();
      if (plan->request.live) {
        lock.unlock();
        try {
          with_priority(tbb::task_arena::priority::high, [&] { run_live(*plan); });
        } catch (const Stopped&) {
          spdlog::debug("request {} stopped", plan->request.number);
        }
        lock.lock();
      }
    }
    leading_ = false;
    leader_.what.clear();
    leader_.step = 0;
    changed_.notify_all();
  }
}

/// Tells of every part of a request that could not be planned; what goes on for the one before is not told any more.
void Evaluator::refuse(const Request& request, const Issue& issue) {
  const std::lock_guard in_order(publishing_);
  {
    const std::lock_guard lock(mutex_);
    plan_.reset();
    queue_.clear();
  }
  for (const PartPtr& part : request.job->parts) publish_({part->id, request.number, request.job, nullptr, nullptr, issue});
}

Evaluator::PlanPtr Evaluator::plan(const Request& request) {
  auto plan = std::make_shared<Plan>();
  const Job& whole = *request.job;
  runner_.begin(whole, request.live ? RecipeRunner::How::live : RecipeRunner::How::exact);
  plan->shorter = cut_short(request.job, request.up_to);
  std::vector<PartId> order;
  if (whole.find(request.first) != nullptr) order.push_back(request.first);
  for (const bool visible : {true, false})
    for (const PartPtr& part : whole.parts)
      if (part->id != request.first && part->visible == visible) order.push_back(part->id);
  for (PartId id : order) {
    const std::vector<ContentKey> keys = runner_.contents_of(whole, id);
    plan->keys.insert(keys.begin(), keys.end());
    const std::size_t rank = plan->parts.size();
    plan->parts.emplace(id, Plan::Wanted{keys.back(), rank});
  }
  if (plan->shorter != request.job) plan->parts[request.up_to.part].key = runner_.content_of(*plan->shorter, request.up_to.part);
  plan->request = request;
  return plan;
}

/// With the mutex held: makes the plan the one that counts, and ends what it does not want.
void Evaluator::take_up(const PlanPtr& plan) {
  plan_ = plan;
  for (Lane& lane : lanes_)
    if (lane.task && !plan->wants(lane.task->part, lane.task->key) && !plan->keys.contains(lane.making)) lane.stop.request_stop();
  if (plan->request.live) {
    // What is dragged is made by the leader; of the others the lanes finish what they have begun.
    const auto before = std::exchange(queue_, {});
    for (const auto& [place, task] : before) queue(task);
    return;
  }
  queue_.clear();
  settled_.clear();
  for (const auto& [id, wanted] : plan->parts) {
    settled_[id] = wanted.key;
    if (!is_being_made(id, wanted.key)) queue({Task::Kind::make, id, wanted.key});
  }
}

/// With the mutex held: does a lane make it?
bool Evaluator::is_being_made(PartId id, const ContentKey& key) const {
  return std::any_of(lanes_.begin(), lanes_.end(), [&](const Lane& lane) {
    return lane.task && lane.task->kind == Task::Kind::make && lane.task->part == id && lane.task->key == key && !lane.over && !lane.stop.stop_requested();
  });
}

/// Is it left to the lanes while something is dragged? What differs from what was asked for last is not, nor is the part
/// asked for first where none of them has come to it yet.
bool Evaluator::leave_to_lanes(const Plan& plan, PartId id) {
  const std::lock_guard lock(mutex_);
  const Plan::Wanted& wanted = plan.parts.at(id);
  const auto settled = settled_.find(id);
  if (settled == settled_.end() || settled->second != wanted.key) return false;
  if (is_being_made(id, wanted.key)) return true;
  if (id == plan.request.first) return false;
  queue({Task::Kind::make, id, wanted.key});
  changed_.notify_all();
  return true;
}

void Evaluator::run_live(const Plan& plan) {
  std::vector<PartId> order(plan.parts.size());
  for (const auto& [id, wanted] : plan.parts) order[wanted.rank] = id;
  for (PartId id : order) {
    const JobPtr& job = plan.job_for(id);
    const ContentKey key = plan.parts.at(id).key;
    if (!runner_.is_ready(*job, id) && leave_to_lanes(plan, id)) continue;
    attempt(leader_, plan, id, [&] {
      const Control control = begin(leader_, "Making", job->at(id).name);
      const EvaluatedPtr evaluated = runner_.evaluate(*job, id, control, true, RecipeRunner::How::live);
      check_stop(control);
      publish(id, key, {id, 0, nullptr, evaluated, runner_.known_report(*job, id)});
    });
  }
}

// ---- The lanes ----------------------------------------------------------------------------------------------------------

/// With the mutex held.
void Evaluator::queue(const Task& task) {
  if (plan_ && plan_->wants(task.part, task.key)) queue_[{task.kind, plan_->parts.at(task.part).rank}] = task;
}

/// With the mutex held: what the lane may take up.
std::optional<Evaluator::Task> Evaluator::next_for(std::size_t number) const {
  if (std::any_of(lanes_.begin(), lanes_.end(), [](const Lane& lane) { return lane.waits_to_be_alone; })) return std::nullopt;
  const bool is_for_the_first = number >= for_all;
  if (is_for_the_first && std::any_of(lanes_.begin(), lanes_.begin() + for_all, [](const Lane& lane) { return !lane.task; })) return std::nullopt;
  for (const auto& [place, task] : queue_) {
    if (is_for_the_first && (!plan_ || task.part != plan_->request.first)) continue;
    const bool is_at_work = std::any_of(lanes_.begin(), lanes_.end(), [&, one = task](const Lane& lane) {
      return lane.task && lane.task->part == one.part && lane.task->kind == one.kind;
    });
    if (!is_at_work) return task;
  }
  return std::nullopt;
}

/// With the mutex held: is something taken up beside others? Only when those have been at it for long, or to make the part asked for
/// first beside another one.
bool Evaluator::may_join(const Task& task) const {
  const PartId first = plan_->request.first;
  return std::all_of(lanes_.begin(), lanes_.end(), [&](const Lane& lane) {
    return !lane.task || Clock::now() - lane.since >= patience || (task.kind == Task::Kind::make && task.part == first && lane.task->part != first);
  });
}

void Evaluator::serve(std::size_t number) {
  step_back(Behind::drag);
  Lane& lane = lanes_[number];
  own_lane = &lane;
  std::unique_lock lock(mutex_);
  while (!quitting_) {
    const std::optional<Task> task = next_for(number);
    if (!task) {
      changed_.wait(lock);
      continue;
    }
    if (!may_join(*task)) {
      changed_.wait_for(lock, patience);
      continue;
    }
    std::erase_if(queue_, [&](const auto& item) { return item.second.kind == task->kind && item.second.part == task->part; });
    lane.task = task;
    lane.over = false;
    lane.making = {};
    lane.stop = std::stop_source();
    lane.since = Clock::now();
    const PlanPtr plan = plan_;
    const bool is_first = task->part == plan->request.first;
    lock.unlock();
    try {
      with_priority(is_first ? tbb::task_arena::priority::normal : tbb::task_arena::priority::low, [&] { run(lane, *task, plan); });
    } catch (const Stopped&) {
      spdlog::debug("part {} of request {} stopped", task->part, plan->request.number);
    }
    const RecipeRunner::Memory memory = runner_.memory();
    lock.lock();
    memory_ = memory;
    lane.task.reset();
    lane.what.clear();
    lane.step = 0;
    changed_.notify_all();
  }
}

void Evaluator::run(Lane& lane, const Task& task, const PlanPtr& plan) {
  const PartId id = task.part;
  const JobPtr& job = plan->job_for(id);
  const auto go_on_with = [&](Task::Kind kind) {
    const std::lock_guard lock(mutex_);
    queue({kind, id, task.key});
  };
  attempt(lane, *plan, id, [&] {
    switch (task.kind) {
      case Task::Kind::make: {
        const Control control = begin(lane, "Making", job->at(id).name);
        if (id == plan->request.first)
          if (const EvaluatedPtr coarser = runner_.coarser(*job, id, control)) publish(id, task.key, {id, 0, nullptr, coarser, nullptr, {}, true});
        const EvaluatedPtr evaluated = runner_.evaluate(*job, id, control, true);
        const ReportPtr report = runner_.known_report(*job, id);
        publish(id, task.key, {id, 0, nullptr, evaluated, report});
        return go_on_with(report ? Task::Kind::keep : Task::Kind::check);
      }
      case Task::Kind::check: {
        const Control control = begin(lane, "Checking", job->at(id).name);
        const ReportPtr report = runner_.check(*job, id, control);
        publish(id, task.key, {id, 0, nullptr, runner_.evaluate(*job, id, control, true), report});
        return go_on_with(Task::Kind::keep);
      }
      case Task::Kind::keep: return runner_.keep(*job, id);
    }
  });
}

}  // namespace anvil
