// SPDX-License-Identifier: GPL-3.0-or-later
#include "job/evaluator.h"

#include <fmt/format.h>
#include <spdlog/spdlog.h>

#include "job/background.h"

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
  changed_.notify_all();
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
      serve(job, first, number);
    } catch (const Stopped&) {
      spdlog::debug("request {} stopped", number);
    }
    lock.lock();
    busy_ = false;
    what_.clear();
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

void Evaluator::serve(const JobPtr& job, PartId first, std::uint64_t number) {
  std::vector<PartId> order;
  if (job->find(first) != nullptr) order.push_back(first);
  for (const PartPtr& part : job->parts)
    if (part->id != first) order.push_back(part->id);
  auto begin = [&](const char* verb, PartId id) {
    const std::lock_guard lock(mutex_);
    what_ = fmt::format("{} {}", verb, job->at(id).name);
    since_ = std::chrono::steady_clock::now();
    progress_ = 0;
    memory_ = runner_.memory();
    return Control{stop_.get_token(), &progress_};
  };
  runner_.begin(*job);
  std::vector<PartId> unchecked;
  for (PartId id : order)
    attempt(job, id, number, [&] {
      const Control control = begin("Combining", id);
      const EvaluatedPtr evaluated = runner_.evaluate(*job, id, control, true);
      const ReportPtr report = runner_.known_report(*job, id);
      publish_({id, number, job, evaluated, report});
      if (!report) unchecked.push_back(id);
    });
  {
    const std::lock_guard lock(mutex_);
    checking_ = true;
    if (pending_) return;
  }
  for (PartId id : unchecked)
    attempt(job, id, number, [&] {
      const Control control = begin("Checking", id);
      const ReportPtr report = runner_.check(*job, id, control);
      publish_({id, number, job, runner_.evaluate(*job, id, control, true), report});
    });
}

}  // namespace anvil
