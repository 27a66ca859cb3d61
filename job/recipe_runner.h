// SPDX-License-Identifier: GPL-3.0-or-later
// Carries recipes out, step by step, and keeps what each step gave by content: an unchanged step costs a look-up, also
// after undo, also in a copy of the part, and a changed one computes only itself and what comes after it. Several threads may
// ask at once: what one of them is making already, the others wait for.
#pragma once

#include <condition_variable>
#include <functional>
#include <map>
#include <mutex>
#include <unordered_map>
#include <unordered_set>

#include "core/mesh/attributes.h"
#include "job/cast.h"
#include "job/content_key.h"
#include "job/evaluated.h"
#include "job/live_step.h"
#include "job/result_store.h"

namespace anvil {

class RecipeRunner {
 public:
  /// Keeps at most a quarter of the machine's memory.
  RecipeRunner();
  enum class How {
    exact,
    live  ///< while something is dragged: where that is much faster, faces may be cut otherwise than exact gives them
  };
  /// Runs the part's recipe, with those of its tools. Throws Stopped.
  EvaluatedPtr evaluate(const Job& job, PartId id, const Control& control, bool with_drawable, How how = How::exact);
  /// What stands in for evaluate() until that is there: the recipe with its first step that is not known yet made coarser (StepKind::coarsen). Null where no step can be, where all is known, and
  /// where the coarser one fails, or was made so fast that the finer one will soon be there. Throws Stopped.
  EvaluatedPtr coarser(const Job& job, PartId id, const Control& control);
  /// Soundness of what evaluate() gives. Throws Stopped.
  ReportPtr check(const Job& job, PartId id, const Control& control);
  /// The report if it is known already, else null.
  ReportPtr known_report(const Job& job, PartId id);
  /// Has evaluate(), with what is drawn, nothing to compute any more?
  bool is_ready(const Job& job, PartId id);
  /// Stands for everything that the part's result depends on, but its name and place.
  ContentKey content_of(const Job& job, PartId id);
  /// Keys of the part's source and of what each active step gives; the last one is content_of().
  std::vector<ContentKey> contents_of(const Job& job, PartId id);

  /// Begins with a job: what is kept for steps that it does not have any more is let go, and what it asks for from now
  /// on stays. Call it now and then.
  /// @param how  exact: what is kept for a drag is let go as well
  void begin(const Job& job, How how = How::exact);

  double soon = 0.2;  ///< seconds: nothing stands in for what is expected within that, as it would only flicker

  /// Called, in the thread that evaluates, before something is computed: with the step (0: the source, the check or what is
  /// drawn) and the key of what comes of it. What it throws ends the evaluation. Before the first evaluation.
  std::function<void(StepId, const ContentKey&)> on_making;

  /// Where results are kept from run to run; none by default.
  void set_store(std::shared_ptr<ResultStore> store);
  /// Puts a part's result, with its report where that is known, where results are kept, if it took long enough to be worth it.
  void keep(const Job& job, PartId id);

  /// How often something was really computed since the start.
  struct Counts {
    std::size_t sources = 0, steps = 0, checks = 0, drawables = 0;
  };
  Counts counts() const;
  /// Bytes kept, and the bound: what was not asked for since begin() goes when there is more, the oldest first.
  struct Memory {
    std::size_t used = 0, limit = 0;
  };
  Memory memory() const;
  void set_limit(std::size_t bytes);

 private:
  struct Node {
    EvaluatedPtr evaluated;
    ReportPtr report;
    std::uint64_t used = 0;  // when it was last asked for
    std::size_t bytes = 0;
  };
  /// What the engine, and a drag, keep of the inputs of a step from one run to the next.
  struct KeptOfStep {
    CombineCache engine;
    LiveStep moving;
  };
  class Claim;
  class Borrowed;

  // With the mutex held:
  ContentKey source_key(const Job& job, const Part& part);
  ContentKey step_key(const Job& job, const Part& part, const Step& step, const ContentKey& before);
  /// Valid until the next job is asked about.
  const std::vector<ContentKey>& keys_of(const Job& job, const Part& part);
  ContentKey mesh_key(const std::shared_ptr<const Mesh>& mesh);
  void add_to_key(const Job& job, const Part& part, const std::vector<ToolUse>& rows, std::string& key);
  /// What is known of the key, noted as asked for; null: nothing.
  Node* known(const ContentKey& key);
  void settle_bytes(Node& node);
  void forget_oldest();

  // Without it:
  EvaluatedPtr result_of(const ContentKey& key);
  void put(const ContentKey& key, EvaluatedPtr evaluated, ReportPtr report);
  void recall(const ContentKey& key, const Control& control);
  Evaluated make_source(const Job& job, const Part& part, const Control& control);
  struct Made {
    Evaluated evaluated;
    ReportPtr report;     // when the step found it out anyway
    bool is_live = false;  // it is as How::live gives it
  };
  Made run_step(const Job& job, const Part& part, const Step& step, const Evaluated& before, const ContentKey& before_key,
                const ContentKey& key, const Control& control, How how);
  Evaluated same_failure(const Job& job, PartId id, const Evaluated& before);
  ReportPtr check_node(const ContentKey& key, const EvaluatedPtr& evaluated, const Control& control);

  mutable std::mutex mutex_;  // of all that follows
  std::condition_variable_any released_;
  std::unordered_set<ContentKey, ContentKeyHash> claimed_;  // keys of what is being made
  std::unordered_map<ContentKey, Node, ContentKeyHash> nodes_;
  std::map<std::pair<PartId, StepId>, KeptOfStep> kept_;
  struct KnownMesh {
    std::weak_ptr<const Mesh> mesh;
    ContentKey key;
  };
  std::map<const Mesh*, KnownMesh> known_meshes_;
  /// Of the parts of the job that was asked about last: parts that share parts are looked at once each.
  struct Keys {
    std::vector<PartPtr> parts;
    std::vector<PartSet> sets;
    std::map<PartId, std::vector<ContentKey>> of;
  } keys_;
  std::uint64_t clock_ = 1, begun_ = 0;
  std::size_t bytes_ = 0, limit_;
  Counts counts_;
  std::shared_ptr<ResultStore> store_;
};

}  // namespace anvil
