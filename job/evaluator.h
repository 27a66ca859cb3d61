// SPDX-License-Identifier: GPL-3.0-or-later
// From recipes to meshes and soundness reports, on threads of its own. A newer request ends what it does not want any more, and
// only that; what is cheap does not wait for what is slow, and what is dragged waits for neither.
#pragma once

#include <array>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <deque>
#include <functional>
#include <map>
#include <mutex>
#include <thread>

#include "job/recipe_runner.h"

namespace anvil {

/// One finished piece of work, delivered on the thread that finished it; one at a time, and of one part in the order of requests.
struct Published {
  PartId part;
  std::uint64_t request;  ///< number of the request it answers
  JobPtr job;             ///< that was asked for; with a part's recipe only as far as it is looked at
  EvaluatedPtr evaluated;        ///< null when it could not be computed at all: `issue` says why
  ReportPtr report;              ///< null until the check is done
  std::optional<Issue> issue = {};  ///< out of memory and the like; the part keeps what it had
  bool coarser = false;             ///< it stands in for what takes longer, and is followed by that
};

/// A part that is looked at as it is up to one of its steps, while all others go by its whole recipe.
struct UpTo {
  PartId part = 0;  ///< 0: none
  StepId step = 0;
};

class Evaluator {
 public:
  /// @param publish  called for every finished mesh and every finished report; it must not call the evaluator
  explicit Evaluator(std::function<void(const Published&)> publish);
  ~Evaluator();

  /// Asks for every part of the job, `first` before the others. What is being computed goes on as long as the job still needs
  /// it. A live request (something is being dragged) is for the parts that differ from the last request that was not live: they
  /// are made one after the other, on a thread that does nothing else, and not checked; one that is under way is finished
  /// first, so that the view keeps following. @return the request's number
  std::uint64_t request(JobPtr job, PartId first, bool live, UpTo up_to = {});
  /// Ends what is being computed; the parts not finished keep their last result.
  void stop();
  /// Waits until nothing is left to do, or stop() was called.
  void wait_idle();
  /// Where results are kept from run to run; null: nowhere.
  void set_store(std::shared_ptr<ResultStore> store) { runner_.set_store(std::move(store)); }
  /// RecipeRunner::soon. Before the first request.
  void set_soon(double seconds) { runner_.soon = seconds; }
  /// Bytes that results kept for later take, and their bound.
  RecipeRunner::Memory memory() const;

  struct Activity {
    std::string what;  ///< "Making Mast clamp"; "" when idle
    double seconds = 0, progress = 0;
    StepId step = 0;          ///< that is being computed; 0: none
    double step_seconds = 0;  ///< since it began
  };
  /// What goes on for the part asked for first; else, what began first.
  Activity activity() const;

 private:
  struct Request {
    JobPtr job;
    PartId first = 0;
    bool live = false;
    UpTo up_to;
    std::uint64_t number = 0;
  };
  /// What the newest request wants.
  struct Plan {
    Request request;
    JobPtr shorter;  // the job with the recipe that is looked at only in part
    struct Wanted {
      ContentKey key;
      std::size_t rank;  // the first comes first
    };
    std::map<PartId, Wanted> parts;
    std::unordered_set<ContentKey, ContentKeyHash> keys;  // of every source and step
    const JobPtr& job_for(PartId id) const { return id == request.up_to.part ? shorter : request.job; }
    bool wants(PartId id, const ContentKey& key) const;
  };
  using PlanPtr = std::shared_ptr<const Plan>;
  struct Task {
    enum class Kind { make, check, keep } kind;
    PartId part;
    ContentKey key;  // of the part's result
  };
  /// A thread, and what it is at.
  struct Lane {
    std::optional<Task> task;
    bool over = false;  // nothing more comes of the task: a later request would not hear of it
    ContentKey making;  // what is being computed just now
    std::stop_source stop;
    std::string what;
    std::chrono::steady_clock::time_point since, step_since;
    StepId step = 0;
    std::atomic<double> progress = 0;
    bool waits_to_be_alone = false;  // for want of memory: no lane takes anything up
    std::thread thread;
  };
  using Clock = std::chrono::steady_clock;

  void lead();
  void serve(std::size_t number);
  PlanPtr plan(const Request& request);
  void refuse(const Request& request, const Issue& issue);
  void take_up(const PlanPtr& plan);
  void run_live(const Plan& plan);
  bool is_being_made(PartId id, const ContentKey& key) const;
  bool leave_to_lanes(const Plan& plan, PartId id);
  void run(Lane& lane, const Task& task, const PlanPtr& plan);
  std::optional<Task> next_for(std::size_t number) const;
  bool may_join(const Task& task) const;
  bool is_busy() const;
  void queue(const Task& task);
  Control begin(Lane& lane, const char* verb, const std::string& name);
  void note_making(StepId step, const ContentKey& key);
  bool wait_to_be_alone(Lane& lane);
  /// Does one part's work; what it throws is charged to that part.
  void attempt(Lane& lane, const Plan& plan, PartId id, const std::function<void()>& work);
  /// As an answer to the newest request, if that wants it.
  void publish(PartId part, const ContentKey& key, Published published);

  std::function<void(const Published&)> publish_;
  std::mutex publishing_;      // taken before the other one
  mutable std::mutex mutex_;   // of all that follows
  std::condition_variable changed_;
  std::deque<Request> pending_;
  std::uint64_t number_ = 0;
  PlanPtr plan_;  // null: stopped, or nothing asked for yet
  std::map<PartId, ContentKey> settled_;  // what the last request that was not live asked for
  std::map<std::pair<Task::Kind, std::size_t>, Task> queue_;  // by kind and rank
  bool quitting_ = false, leading_ = false;
  RecipeRunner runner_;
  RecipeRunner::Memory memory_;  // as of the task that was ended last: who asks does not wait for the runner
  static constexpr std::size_t for_all = 3, for_the_first = 3;  // lanes for every part, and for the one asked for first only
  Lane leader_;  // plans, and makes what is dragged
  std::array<Lane, for_all + for_the_first> lanes_;
};

}  // namespace anvil
