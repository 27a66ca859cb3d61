// SPDX-License-Identifier: GPL-3.0-or-later
// What the window works on: the job with its history, what is chosen, and what the evaluator has found.
// Widgets change the job through here and listen to the signals; they never compute on meshes.
#pragma once

#include <QObject>
#include <QString>
#include <filesystem>
#include <map>
#include <optional>

#include "job/evaluator.h"
#include "job/history.h"

namespace anvil::app {

/// The newest finished work on a part. Either pointer may be null while the first result is awaited.
struct PartResult {
  EvaluatedPtr evaluated;
  ReportPtr report;  ///< null while `evaluated` is being checked
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

  // What is chosen, in the order of choosing; the first is the part that is kept in a combination.
  const std::vector<PartId>& selection() const { return selection_; }
  /// The part that recipe and rail are about; 0 when nothing is chosen.
  PartId chosen() const { return selection_.empty() ? 0 : selection_.front(); }
  /// The part whose recipe is shown: the chosen one, or the one it is a tool of.
  PartId recipe_owner() const;
  void select(std::vector<PartId> ids);
  void toggle_selected(PartId id);

  // Results
  PartResult result(PartId id) const;
  Evaluator::Activity activity() const;
  void stop_work();
  /// Bounds of a part's shown mesh in the job's space; empty when there is none yet.
  Box3 world_bounds(PartId id) const;
  void wait_idle();

  // Files
  const std::filesystem::path& path() const { return path_; }
  void new_job();
  bool open_job(const std::filesystem::path& path);
  bool save_job(const std::filesystem::path& path);
  /// Takes over a recovered job as unsaved work.
  void take_over(Job job, std::filesystem::path path);
  /// Reads mesh files on a worker and adds one part for each; what cannot be read is said, file by file.
  void bring_in(const std::vector<std::filesystem::path>& files, Unit unit);
  /// Writes parts as they stand in the job, on a worker.
  void send_out(const std::vector<PartId>& parts, const std::filesystem::path& path);
  bool busy_with_files() const { return !task_.isEmpty(); }

  /// Tells the user something in the bottom line, or as a problem with a place to show.
  void say(const QString& text);
  void complain(const Issue& issue, PartId part = 0);

 signals:
  void job_changed(bool live);
  void selection_changed();
  void result_changed(anvil::PartId part);
  void said(const QString& text);
  void complained(const anvil::Issue& issue, anvil::PartId part);
  void fly_requested(anvil::PartId part, const anvil::Place& place);
  void files_finished();

 private:
  void changed(bool live);
  void receive(const Published& published);
  void run_task(const QString& what, std::function<std::function<void()>()> work);

  History history_;
  std::vector<PartId> selection_;
  std::map<PartId, PartResult> results_;
  std::filesystem::path path_;
  QString task_;
  std::chrono::steady_clock::time_point task_since_;
  std::shared_ptr<std::atomic<bool>> task_dropped_;
  std::unique_ptr<Evaluator> evaluator_;  // last: its thread must end first
};

}  // namespace anvil::app
