// SPDX-License-Identifier: GPL-3.0-or-later
// From recipes to meshes and soundness reports, on a worker thread; the newest request wins.
#pragma once

#include <atomic>
#include <condition_variable>
#include <functional>
#include <map>
#include <mutex>
#include <thread>
#include <unordered_map>

#include "core/soundness/report.h"
#include "job/drawable.h"
#include "job/job.h"

namespace anvil {

/// What a part's recipe came to. Immutable once published.
struct Evaluated {
  std::shared_ptr<const Mesh> mesh;  ///< in the part's own frame; the source's mesh when `error` is set
  std::optional<Issue> error;        ///< why the recipe could not be carried out
  BooleanReport boolean;             ///< of the last combine step that ran; places in the part's own frame
  std::vector<Index> piece;          ///< per face of the mesh, when there are several pieces; else empty
  Index pieces = 1;
  bool open_on_purpose = false;      ///< an open trim made it
  std::vector<std::array<Index, 2>> fresh_edges;  ///< vertex pairs, of the last combine step that ran
  std::shared_ptr<const Drawable> drawable;  ///< null when only the mesh was asked for
};
using EvaluatedPtr = std::shared_ptr<const Evaluated>;
using ReportPtr = std::shared_ptr<const SoundnessReport>;

/// The pieces of a result; for one that is all in one piece, its shells.
std::vector<Mesh> separate_pieces(const Evaluated& evaluated);

/// Evaluates parts and remembers what it made, by content: an unchanged part, also one moved with all that
/// rides along, costs a look-up. Not thread-safe; the Evaluator below runs one on its worker.
class RecipeCache {
 public:
  /// Runs the part's recipe, with those of its tools. Throws Stopped.
  EvaluatedPtr evaluate(const Job& job, PartId id, const Control& control, bool with_drawable);
  /// Soundness of what evaluate() gives. Throws Stopped.
  ReportPtr check(const Job& job, PartId id, const Control& control);
  /// The report if it is known already, else null.
  ReportPtr known_report(const Job& job, PartId id);
  /// The number that stands for everything the part's mesh depends on.
  std::uint64_t content_of(const Job& job, PartId id);
  /// Forgets what has not been asked for since the last call but one.
  void forget_unused();

 private:
  struct Entry {
    std::uint64_t content = 0;
    EvaluatedPtr evaluated;
    ReportPtr report;
    std::shared_ptr<const Mesh> keeps_alive;  // so that a source's address is not used again
    int age = 0;
  };
  static std::string source_key(const Part& part);
  Entry& entry_at(const std::string& key, const Part& part);
  Entry& entry_of(const Job& job, PartId id);
  /// Known from the soundness of the part without its recipe, which is found out once.
  bool source_is_free_of_crossings(const Part& part, const Mesh& source, const Control& control);
  Evaluated run_recipe(const Job& job, const Part& part, const Control& control);

  std::unordered_map<std::string, Entry> entries_;
  std::map<PartId, CombineCache> combine_caches_;  // what the engine keeps of the tools of each part
  std::uint64_t next_content_ = 1;
};

/// One finished piece of work, delivered on the worker thread.
struct Published {
  PartId part;
  std::uint64_t request;  ///< number of the request it was made for
  EvaluatedPtr evaluated;
  ReportPtr report;  ///< null until the check is done
};

class Evaluator {
 public:
  /// @param publish  called on the worker thread for every finished mesh and every finished report
  explicit Evaluator(std::function<void(const Published&)> publish);
  ~Evaluator();

  /// Asks for every part of the job, `first` before the others. A live request (something is being dragged)
  /// lets a combination that is under way finish, so that the view keeps following; any other ends what is
  /// outdated at once. Checks are always ended. @return the request's number
  std::uint64_t request(JobPtr job, PartId first, bool live);
  /// Ends what is being computed; the parts not finished keep their last result.
  void stop();
  /// Waits until nothing is left to do.
  void wait_idle();

  struct Activity {
    std::string what;  ///< "Combining Mast clamp"; "" when idle
    double seconds = 0, progress = 0;
  };
  Activity activity() const;

 private:
  void work();
  void serve(const Job& job, PartId first, std::uint64_t number);

  std::function<void(const Published&)> publish_;
  mutable std::mutex mutex_;
  std::condition_variable changed_;
  JobPtr pending_;
  PartId first_ = 0;
  std::uint64_t number_ = 0;
  bool quitting_ = false, busy_ = false, checking_ = false;
  std::stop_source stop_;
  std::string what_;
  std::chrono::steady_clock::time_point since_;
  std::atomic<double> progress_ = 0;
  RecipeCache cache_;
  std::thread thread_;
};

}  // namespace anvil
