// SPDX-License-Identifier: GPL-3.0-or-later
// From recipes to meshes and soundness reports, on a worker thread; the newest request wins.
#pragma once

#include <atomic>
#include <condition_variable>
#include <functional>
#include <mutex>
#include <thread>

#include "job/recipe_runner.h"

namespace anvil {

/// One finished piece of work, delivered on the worker thread.
struct Published {
  PartId part;
  std::uint64_t request;  ///< number of the request it was made for
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
  /// @param publish  called on the worker thread for every finished mesh and every finished report
  explicit Evaluator(std::function<void(const Published&)> publish);
  ~Evaluator();

  /// Asks for every part of the job, `first` before the others. A live request (something is being dragged)
  /// lets a combination that is under way finish, so that the view keeps following, and checks nothing; any other ends what
  /// is outdated at once. Checks are always ended. @return the request's number
  std::uint64_t request(JobPtr job, PartId first, bool live, UpTo up_to = {});
  /// Ends what is being computed; the parts not finished keep their last result.
  void stop();
  /// Waits until nothing is left to do, or stop() was called.
  void wait_idle();
  /// Where results are kept from run to run; null: nowhere. Counts from the next request on.
  void set_store(std::shared_ptr<ResultStore> store);
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
  Activity activity() const;

 private:
  void work();
  void serve(const JobPtr& job, PartId first, UpTo up_to, std::uint64_t number, RecipeRunner::How how);
  /// Does one part's work; what it throws is charged to that part.
  void attempt(const JobPtr& job, PartId id, std::uint64_t number, const std::function<void()>& work);

  std::function<void(const Published&)> publish_;
  mutable std::mutex mutex_;
  std::condition_variable changed_;
  JobPtr pending_;
  PartId first_ = 0;
  UpTo up_to_;
  std::uint64_t number_ = 0;
  bool live_ = false;  // the pending request
  bool quitting_ = false, busy_ = false, checking_ = false;
  std::stop_source stop_;
  std::string what_;
  std::chrono::steady_clock::time_point since_, step_since_;
  StepId step_ = 0;
  std::atomic<double> progress_ = 0;
  RecipeRunner runner_;
  RecipeRunner::Memory memory_;
  std::shared_ptr<ResultStore> store_;
  std::thread thread_;
};

}  // namespace anvil
