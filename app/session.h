// SPDX-License-Identifier: GPL-3.0-or-later
// What the window works on: the job with its history, what is chosen, and what the evaluator has found.
// Widgets change the job through here and listen to the signals; they never compute on meshes.
#pragma once

#include <QLockFile>
#include <QObject>
#include <QString>
#include <QThreadPool>
#include <QTimer>
#include <filesystem>
#include <map>
#include <optional>

#include "app/chooser.h"
#include "app/finding.h"
#include "app/region_look.h"
#include "app/standing.h"
#include "app/view/place.h"
#include "core/comparison.h"
#include "job/edit.h"
#include "job/evaluator.h"
#include "core/io/mesh_file.h"
#include "job/history.h"

namespace anvil::app {

/// The newest finished work on a part. Either pointer may be null while the first result is awaited.
struct PartResult {
  EvaluatedPtr evaluated;
  ReportPtr report;             ///< null while `evaluated` is being checked
  Cast cast;                    ///< of the job that it was made from
  std::uint64_t request = 0;    ///< that it answers
  bool coarser = false;         ///< `evaluated` stands in for what is still being computed
  std::optional<Issue> issue;   ///< why the newest request could not be answered at all; `evaluated` is older then

  /// Why what is shown is not what the recipe asks for; names are tokens of the cast.
  const Issue* trouble() const {
    if (issue) return &*issue;
    return evaluated && evaluated->error ? &*evaluated->error : nullptr;
  }
};

/// A way out of a problem, offered as a button.
struct Remedy {
  QString label;
  std::function<void()> run;
};

/// A point picked in the view.
struct PickedPoint {
  PartId part = 0;
  Vec3 point;   ///< in the job's space, caught on a vertex or an edge middle where one is near
  Vec3 normal;  ///< of the face under the pointer, outwards, of length 1
};
using PickAnswer = std::function<void(const std::vector<PickedPoint>&)>;

/// A part as it is written to a file.
struct OutgoingPart {
  PartId id;
  PartResult result;
  Affine world;
};

class Session : public QObject {
  Q_OBJECT

 public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  // The job
  const Job& job() const { return *history_.current(); }
  const History& history() const { return history_; }
  /// One undoable change.
  void commit(const QString& label, Job job);
  /// The same for a change that may be refused; says why and gives false then.
  bool commit(const QString& label, const Result<Job>& job);
  /// A passing state, as while dragging; end it with commit_preview() or drop_preview().
  void preview(Job job);
  void commit_preview(const QString& label);
  void drop_preview();
  void undo();
  void redo();
  /// Goes to a version of the history.
  void go_to_version(std::size_t place);

  /// What was received last has been drawn. While something is dragged the next result is asked for only then, so that each
  /// finished one is seen; where nobody draws, after a moment.
  /// @param received  as received() was when it was drawn
  void note_shown(std::uint64_t received);
  std::uint64_t received() const { return received_; }

  /// Puts the finish of something that ran beside the window off to the end of a drag, so that neither undoes the other.
  void when_settled(std::function<void()> work);

  // What is chosen, in the order of choosing; the first is the part that is kept in a combination.
  const std::vector<PartId>& selection() const { return selection_; }
  /// The part that recipe and rail are about; 0 when nothing is chosen.
  PartId chosen() const { return selection_.empty() ? 0 : selection_.front(); }
  /// The part whose recipe is shown: the chosen one, or the one it is a tool of.
  PartId recipe_owner() const;
  /// Shows a chosen tool's own recipe instead of that of the part it is a tool of, which stays in view; or no more.
  void open_own_recipe(bool open);
  bool own_recipe_open() const { return own_ != 0 && own_ == recipe_owner(); }
  /// How a part is used in the recipe that is shown, or else where it is used first.
  std::optional<Job::Use> use_here(PartId tool) const;
  void select(std::vector<PartId> ids);
  void toggle_selected(PartId id);

  /// The step whose card is open for work in the view; none: the part itself.
  StepId active_step() const { return active_step_; }
  void set_active_step(StepId id);

  /// The step up to which the part whose recipe is shown is looked at; 0: all of it. Others go by its whole recipe all the while.
  StepId up_to() const { return up_to_; }
  void look_up_to(StepId step);
  /// Adds a step where a new one goes, and looks at it where the part is looked at up to a step. @param id  receives its id
  bool add_step(const QString& label, PartId part, Step step, StepId* id = nullptr);
  /// Where a new step goes: behind that one, or at the end of the recipe.
  edit::StepPlace new_step_place() const { return {up_to_}; }

  /// Elements chosen of the part whose recipe is shown.
  Chooser& chooser() { return chooser_; }
  const Chooser& chooser() const { return chooser_; }
  /// What is looked for in the part whose recipe is shown.
  Finding& finding() { return finding_; }
  const Finding& finding() const { return finding_; }
  /// The colours and numbers of its regions.
  RegionLook& region_look() { return region_look_; }
  const RegionLook& region_look() const { return region_look_; }
  /// Adds a step that edits the chosen elements to their part.
  void edit_chosen(const StepKind& kind);

  // Results
  PartResult result(PartId id) const;
  /// Is the result that of the job as it is now, with its report?
  bool is_current(PartId id) const;
  /// What every panel says of it. A result that comes within a moment replaces the older one without a word in between.
  Standing standing(PartId id) const;
  /// Asks again for what was stopped.
  void make_again();
  /// A part's result as it is now, to be kept; null while there is none or it came to trouble.
  std::shared_ptr<const Mesh> snapshot_of(PartId id) const;
  /// A message about a part's result with the names that parts have now.
  QString named(PartId id, const std::string& text) const;
  Issue named(PartId id, const Issue& issue) const;
  /// Does `then` once all these parts are current and nothing is being dragged, asking for them again where work was stopped; Stop ends
  /// the wait.
  /// @param exports  a file is to be written then: leaving asks first
  void when_ready(const std::vector<PartId>& parts, std::function<void(const std::vector<OutgoingPart>&)> then, bool exports = false);
  /// Does a file wait for its result, or is one being written?
  bool is_export_waiting() const;
  RecipeRunner::Memory memory() const { return evaluator_->memory(); }
  /// Keeps results on disk from run to run, in a bounded folder; empty: keeps none.
  void keep_results_in(const std::filesystem::path& folder);
  bool keeps_results() const { return store_ != nullptr; }
  /// Empties that folder. @return bytes that it held
  std::uintmax_t empty_kept_results();
  Evaluator::Activity activity() const;
  void stop_work();
  /// Bounds of a part's shown mesh in the job's space; empty when there is none yet.
  Box3 world_bounds(PartId id) const;
  void wait_idle();

  // Files
  const std::filesystem::path& path() const { return path_; }
  /// Why the job cannot be saved where it lies, to follow "this job"; empty when it can. Under another name it always can.
  const QString& read_only() const { return read_only_; }
  void new_job();
  /// Reads a job beside the window; the one that is open is kept when that fails or it was changed meanwhile. Of one that is
  /// damaged or of a newer version what is whole is taken, read-only.
  void open_job(const std::filesystem::path& path, std::function<void(bool)> finished = {});
  /// Writes the job as it is now, beside the window; what the file held before stays as its backup.
  void save_job(const std::filesystem::path& path, std::function<void(bool)> finished = {});
  /// Takes over a recovered job as unsaved work.
  void take_over(Job job, const std::filesystem::path& path);
  /// Reads mesh files on a worker and adds one part for each; what cannot be read is said, file by file.
  /// @param unit  of files that do not say theirs
  void bring_in(const std::vector<std::filesystem::path>& files, Unit unit);
  /// Asks for the unit of such files once they are read, and it is known how long the longest of them is, in its own unit.
  /// @return nothing: they are not brought in
  using AskUnit = std::function<std::optional<Unit>(double longest)>;
  void bring_in(const std::vector<std::filesystem::path>& files, const AskUnit& ask);
  /// The unit of such files from here on; chosen parts that came from such files get the size that they have in it, as one change.
  void change_unit(Unit unit);
  /// The longest extent of a part as it came from a file without a unit, in its unit; nothing for others.
  std::optional<double> length_as_read(PartId id) const;
  /// Writes parts as they stand in the job, on a worker.
  void send_out(const std::vector<OutgoingPart>& parts, const std::filesystem::path& path, const WriteSettings& settings = {});
  /// Makes the pieces of a part's result parts of their own.
  void break_out(PartId part);

  // Mending
  /// What a mend step would do to a part, tried out beside the window; nothing of the job changes.
  struct MendPlan {
    EvaluatedPtr of;  ///< the result it is about
    std::shared_ptr<const Comparison> outcome;
  };
  /// The plan for the part's result as it is now; null when there is none.
  const MendPlan* mend_plan(PartId part) const;
  void make_mend_plan(PartId part);
  /// Adds a mend step to each part, as one change. @param keys  of the menders that they may use
  /// @return false when that was refused
  bool mend(const std::vector<PartId>& parts, const std::vector<std::string>& keys);
  /// Adds a step that mends one family of defects, at one of them or everywhere.
  /// @param at  null: everywhere
  bool mend_family(PartId part, const Family& family, const Defect* at);
  /// Adds a step that mends what is wrong at the chosen elements.
  bool mend_chosen();
  /// Are there menders for a family?
  static bool is_mendable(const Family& family);
  /// Adds steps that use all that are used without being asked for.
  bool mend_all(const std::vector<PartId>& parts);
  bool busy_with_files() const { return !tasks_.empty(); }
  using Work = std::function<std::function<void()>(const std::stop_token&)>;
  /// Runs `work` beside the window, then what it gives in the window's thread. What it reads is for this job: Stop, or
  /// another job, throws it away.
  void read_beside(const QString& what, Work work, std::function<void()> failed = {});

  // Smooth look
  /// How often the part whose recipe is shown is subdivided for a look at it; 0: it is shown as it is.
  int smooth_levels() const { return smooth_levels_; }
  void set_smooth_levels(int levels);
  /// The part as it would look subdivided; null while that is not made or not wanted.
  std::shared_ptr<const Drawable> smooth_look(PartId part) const;

  /// Tells the user something in the bottom line, or as a problem with a place to show.
  void say(const QString& text);
  /// passes: gone with the next, or once something was done. stays: until it was looked at and closed, with others beside it; for what
  /// comes several at a time or while nobody looks. noted: the same for what is no trouble, yet has to be known.
  enum class Complaint { passes, stays, noted };
  void complain(const Issue& issue, PartId part = 0, const std::vector<Remedy>& remedies = {}, Complaint kind = Complaint::passes);

 signals:
  void job_changed(bool live);
  void selection_changed();
  void result_changed(anvil::PartId part);
  /// The same, for what shows many parts: at once for the part whose recipe is shown, gathered up for a tenth of a second for others.
  void results_changed();
  void standing_changed();
  /// Stop ended what was being made, read and written, and what waited for that.
  void work_stopped();
  void said(const QString& text);
  void complained(const anvil::Issue& issue, anvil::PartId part, anvil::app::Session::Complaint kind);
  /// Ways out of what was complained about last.
  void remedies_offered(const std::vector<anvil::app::Remedy>& remedies);
  void fly_requested(anvil::PartId part, const anvil::app::Place& place);
  void active_step_changed();
  void up_to_changed();
  void mend_plan_made(anvil::PartId part);
  void smooth_look_changed();
  /// Asks the view for points picked by clicks; it answers once, or never when the user leaves it.
  void pick_requested(int points, const QString& prompt, const anvil::app::PickAnswer& answer);
  void files_finished();
  /// What was read or worked out beside the window is not coming: it was stopped, or is for another job.
  void reading_dropped();
  /// A job was opened of which this is not whole, in words.
  void damage_found(const std::filesystem::path& path, const QStringList& lost);

 private:
  /// The job lies there from now on, and no other window may save it there.
  /// @param taken  the lock, where it was taken already
  void stand_at(const std::filesystem::path& path, std::shared_ptr<QLockFile> taken = {});
  /// Takes the lock of a job file. @return who has it, in words; empty when it was taken, or the folder allows no lock
  QString take_lock(const std::filesystem::path& path, std::shared_ptr<QLockFile>& lock);
  void changed(bool live);
  void receive(const Published& published);
  /// The same for what writes files, one after the other, so that the later one stands. It always ends with what it
  /// gives, stopped or not, since a file may be there by then.
  void write_beside(const QString& what, Work work, std::function<void()> failed = {});
  struct Task {
    QString what;
    bool writes = false;
    std::chrono::steady_clock::time_point since = std::chrono::steady_clock::now();
    std::stop_source stop;
    bool dropped = false;  // only looked at in the window's thread
  };
  /// `failed` is done instead of what the work gives when memory ran out.
  void run(const QString& what, bool writes, Work work, std::function<void()> failed);
  void drop_reading();
  /// Files as they were read, in their own units.
  struct ReadFiles;
  void add_read(const std::shared_ptr<ReadFiles>& read, std::optional<Unit> unit);
  void make_smooth_look();
  bool was_current_just_now(PartId id) const;
  void settled();
  void answer_waiting();

  struct Waiting {
    std::vector<PartId> parts;
    std::function<void(const std::vector<OutgoingPart>&)> then;
    bool exports = false;
    std::chrono::steady_clock::time_point since = std::chrono::steady_clock::now();
  };

  History history_;
  std::vector<PartId> selection_;
  PartId owner_ = 0;  // whose recipe was shown before the last choice
  PartId own_ = 0;    // a tool whose own recipe is shown
  StepId active_step_ = 0, up_to_ = 0;
  std::map<PartId, PartResult> results_;
  std::uint64_t request_ = 0;
  void ask(bool live);
  bool asked_live_ = false;  // by the request
  bool unshown_ = false;     // a live request was made, and its result was not drawn yet
  bool put_off_ask_ = false;  // a live request waits for that
  std::uint64_t received_ = 0;  // counts the results of live requests
  std::uint64_t answered_ = 0;  // the live request whose result came last
  QTimer shown_at_latest_;
  QTimer hand_rests_;  // what is dragged has not moved for a while: it is made exactly, and checked
  std::uint64_t first_request_ = 0;  // of this job: what comes for earlier ones is of another job
  bool stopped_ = false;
  std::map<PartId, std::chrono::steady_clock::time_point> last_current_;  // before the request
  QTimer moment_;  // after which parts that are not current say so
  QTimer soon_;    // many that come to be current at once are told once
  QTimer gathering_;
  bool gathered_ = false;  // results came meanwhile
  std::filesystem::path path_;
  std::shared_ptr<QLockFile> lock_;  // of path_, while no other window has it
  std::map<std::filesystem::path, std::weak_ptr<QLockFile>> locks_;  // those that this window holds
  QString read_only_;
  std::uint64_t document_ = 0;  // counts the jobs that stood here
  std::vector<std::shared_ptr<Task>> tasks_;
  std::vector<std::function<void()>> put_off_;
  std::vector<Waiting> waiting_;
  std::shared_ptr<char> exports_handed_over_ = std::make_shared<char>();  ///< held by each export from its result until it is written or given up
  std::map<PartId, MendPlan> mend_plans_;
  Chooser chooser_{*this};
  Finding finding_{*this};
  RegionLook region_look_{*this};
  struct SmoothLook {
    EvaluatedPtr of;
    int levels = 0;
    std::shared_ptr<const Drawable> drawable;  // null while it is being made
  };
  int smooth_levels_ = 0;
  SmoothLook smooth_;
  QThreadPool writing_;  // one thread: what is written later never ends up under what was written before
  std::shared_ptr<ResultStore> store_;
  std::unique_ptr<Evaluator> evaluator_;  // last: its thread must end first
};

}  // namespace anvil::app
