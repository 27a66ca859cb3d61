// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/evaluator.h"

#include <fmt/format.h>
#include <spdlog/spdlog.h>

#include "job/background.h"
#include "job/edit.h"

namespace anvil {

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

std::uint64_t Evaluator::request(JobPtr job, PartId first, bool live, UpTo up_to) {
  const std::lock_guard lock(mutex_);
  pending_ = std::move(job);
  first_ = first;
  up_to_ = up_to;
  live_ = live;
  ++number_;
  if (!live || checking_) stop_.request_stop();
  changed_.notify_all();
  return number_;
}

void Evaluator::stop() {
  const std::lock_guard lock(mutex_);
  pending_.reset();
  stop_.request_stop();
  changed_.notify_all();
}

void Evaluator::set_store(std::shared_ptr<ResultStore> store) {
  const std::lock_guard lock(mutex_);
  store_ = std::move(store);
}

RecipeRunner::Memory Evaluator::memory() const {
  const std::lock_guard lock(mutex_);
  return memory_;
}

void Evaluator::wait_idle() {
  std::unique_lock lock(mutex_);
  changed_.wait(lock, [&] { return !pending_ && !busy_; });
}

Evaluator::Activity Evaluator::activity() const {
  const std::lock_guard lock(mutex_);
  if (!busy_ || what_.empty()) return {};
  const std::chrono::duration<double> elapsed = std::chrono::steady_clock::now() - since_;
  const std::chrono::duration<double> on_step = std::chrono::steady_clock::now() - step_since_;
  return {what_, elapsed.count(), progress_, step_, on_step.count()};
}

void Evaluator::work() {
  runner_.on_step = [this](StepId step) {
    const std::lock_guard lock(mutex_);
    step_ = step;
    step_since_ = std::chrono::steady_clock::now();
  };
  step_back_for_the_window();
  std::unique_lock lock(mutex_);
  for (;;) {
    changed_.wait(lock, [&] { return quitting_ || pending_; });
    if (quitting_) return;
    const JobPtr job = std::move(pending_);
    pending_.reset();
    const PartId first = first_;
    const UpTo up_to = up_to_;
    const std::uint64_t number = number_;
    const auto how = live_ ? RecipeRunner::How::live : RecipeRunner::How::exact;
    busy_ = true;
    checking_ = false;
    stop_ = std::stop_source();
    since_ = std::chrono::steady_clock::now();
    lock.unlock();
    try {
      serve(job, first, up_to, number, how);
    } catch (const Stopped&) {
      spdlog::debug("request {} stopped", number);
    }
    lock.lock();
    busy_ = false;
    what_.clear();
    step_ = 0;
    changed_.notify_all();
  }
}

void Evaluator::attempt(const JobPtr& job, PartId id, std::uint64_t number, const std::function<void()>& work) {
  try {
    work();
  } catch (const std::bad_alloc&) {
    publish_({id, number, job, nullptr, nullptr,
              Issue{"could not be computed: there is not enough memory", cast_token(0), {}, "close other jobs, or undo the last change"}});
  } catch (const std::exception& error) {
    spdlog::error("{}: {}", job->at(id).name, error.what());
    publish_({id, number, job, nullptr, nullptr,
              Issue{fmt::format("could not be computed ({})", error.what()), cast_token(0), {}, "undo the last change"}});
  }
}

namespace {

/// The same job with a part's recipe only as far as a step of it.
JobPtr cut_short(const JobPtr& job, const UpTo& up_to) {
  const Job::Found found = job->find_step(up_to.step);
  if (up_to.part == 0 || !found || found.part->id != up_to.part) return job;
  return std::make_shared<const Job>(edit::change_part(*job, up_to.part, [&](Part& part) {
    const auto last = std::find_if(part.recipe.begin(), part.recipe.end(), [&](const Step& step) { return step.id == up_to.step; });
    part.recipe.erase(last + 1, part.recipe.end());
  }));
}

}  // namespace

void Evaluator::serve(const JobPtr& whole, PartId first, UpTo up_to, std::uint64_t number, RecipeRunner::How how) {
  const JobPtr shorter = cut_short(whole, up_to);
  const auto job_for = [&](PartId id) -> const JobPtr& { return id == up_to.part ? shorter : whole; };
  std::vector<PartId> order;
  if (whole->find(first) != nullptr) order.push_back(first);
  for (const bool visible : {true, false})
    for (const PartPtr& part : whole->parts)
      if (part->id != first && part->visible == visible) order.push_back(part->id);
  auto begin = [&](const char* verb, PartId id) {
    const std::lock_guard lock(mutex_);
    what_ = fmt::format("{} {}", verb, whole->at(id).name);
    step_ = 0;
    since_ = std::chrono::steady_clock::now();
    progress_ = 0;
    memory_ = runner_.memory();
    return Control{stop_.get_token(), &progress_};
  };
  {
    const std::lock_guard lock(mutex_);
    runner_.set_store(store_);
  }
  runner_.begin(*whole, how);
  std::vector<PartId> unchecked;
  for (PartId id : order)
    attempt(whole, id, number, [&] {
      const JobPtr& job = job_for(id);
      const Control control = begin("Making", id);
      if (id == first)
        if (const EvaluatedPtr coarser = runner_.coarser(*job, id, control)) publish_({id, number, job, coarser, nullptr, {}, true});
      const EvaluatedPtr evaluated = runner_.evaluate(*job, id, control, true, how);
      const ReportPtr report = runner_.known_report(*job, id);
      publish_({id, number, job, evaluated, report});
      if (!report) unchecked.push_back(id);
    });
  // While something is dragged the next request is on its way: what is looked at longer is asked for again, not live.
  if (how == RecipeRunner::How::live) return;
  {
    const std::lock_guard lock(mutex_);
    checking_ = true;
    if (pending_) return;
  }
  for (PartId id : unchecked)
    attempt(whole, id, number, [&] {
      const JobPtr& job = job_for(id);
      const Control control = begin("Checking", id);
      const ReportPtr report = runner_.check(*job, id, control);
      publish_({id, number, job, runner_.evaluate(*job, id, control, true), report});
    });
  // What nobody waits for comes last.
  for (PartId id : order) {
    {
      const std::lock_guard lock(mutex_);
      if (pending_ || quitting_) return;
      what_.clear();
    }
    attempt(whole, id, number, [&] { runner_.keep(*whole, id); });
  }
}

}  // namespace anvil
