// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session.h"

#include <fmt/format.h>
#include <QThreadPool>
#include <algorithm>
#include <utility>

#include "app/let_go.h"
#include "core/io/mesh_file.h"
#include "core/soundness/check.h"
#include "job/background.h"
#include "job/edit.h"
#include "job/job_file.h"

namespace anvil::app {

Session::Session(QObject* parent) : QObject(parent) {
  evaluator_ = std::make_unique<Evaluator>([this](const Published& published) {
    QMetaObject::invokeMethod(
        this, [this, published] { receive(published); }, Qt::QueuedConnection);
  });
}

Session::~Session() {
  evaluator_.reset();
  QThreadPool::globalInstance()->waitForDone();
}

void Session::commit(const QString& label, Job job) {
  history_.commit(label.toStdString(), std::move(job));
  changed(false);
}

bool Session::commit(const QString& label, const Result<Job>& job) {
  if (!job) {
    drop_preview();
    complain(job.issue());
    return false;
  }
  commit(label, *job);
  return true;
}

void Session::preview(Job job) {
  history_.preview(std::move(job));
  changed(true);
}

void Session::commit_preview(const QString& label) {
  const Job job = *history_.current();
  commit(label, job);
}

void Session::drop_preview() {
  if (history_.current() == history_.committed()) return;
  history_.drop_preview();
  changed(false);
}

void Session::undo() {
  if (!history_.can_undo()) return;
  const QString label = QString::fromStdString(history_.undo_label());
  history_.undo();
  changed(false);
  say(tr("Taken back: %1").arg(label));
}

void Session::redo() {
  if (!history_.can_redo()) return;
  const QString label = QString::fromStdString(history_.redo_label());
  history_.redo();
  changed(false);
  say(tr("Done again: %1").arg(label));
}

void Session::changed(bool live) {
  const Job& now = job();
  std::erase_if(results_, [&](const auto& item) { return now.find(item.first) == nullptr; });
  const auto before = selection_;
  std::erase_if(selection_, [&](PartId id) { return now.find(id) == nullptr; });
  evaluator_->request(history_.current(), recipe_owner(), live);
  emit job_changed(live);
  if (before != selection_) emit selection_changed();
}

void Session::receive(const Published& published) {
  if (job().find(published.part) == nullptr) return;
  PartResult& result = results_[published.part];
  let_go(std::exchange(result.evaluated, published.evaluated));
  let_go(std::exchange(result.report, published.report));
  emit result_changed(published.part);
}

PartId Session::recipe_owner() const {
  const PartId id = chosen();
  if (id == 0) return 0;
  const auto use = job().use_of(id);
  return use ? use->part : id;
}

void Session::select(std::vector<PartId> ids) {
  std::erase_if(ids, [&](PartId id) { return job().find(id) == nullptr; });
  if (ids == selection_) return;
  selection_ = std::move(ids);
  emit selection_changed();
}

void Session::toggle_selected(PartId id) {
  auto ids = selection_;
  if (const auto it = std::find(ids.begin(), ids.end(), id); it != ids.end())
    ids.erase(it);
  else
    ids.push_back(id);
  select(std::move(ids));
}

PartResult Session::result(PartId id) const {
  const auto it = results_.find(id);
  return it == results_.end() ? PartResult{} : it->second;
}

Evaluator::Activity Session::activity() const {
  if (!task_.isEmpty()) {
    const std::chrono::duration<double> elapsed = std::chrono::steady_clock::now() - task_since_;
    return {task_.toStdString(), elapsed.count(), 0};
  }
  return evaluator_->activity();
}

void Session::stop_work() {
  evaluator_->stop();
  if (task_.isEmpty()) return;
  // A file that is being read cannot be interrupted; its result is thrown away instead.
  *task_dropped_ = true;
  task_.clear();
  say(tr("Stopped"));
  emit files_finished();
}

Box3 Session::world_bounds(PartId id) const {
  Box3 box;
  const PartResult r = result(id);
  if (!r.evaluated || !r.evaluated->drawable || r.evaluated->drawable->box.empty()) return box;
  const Box3& own = r.evaluated->drawable->box;
  const Affine world = job().world_of(id);
  for (int corner = 0; corner < 8; ++corner)
    box.add(world * Vec3(corner & 1 ? own.hi.x() : own.lo.x(), corner & 2 ? own.hi.y() : own.lo.y(),
                         corner & 4 ? own.hi.z() : own.lo.z()));
  return box;
}

void Session::wait_idle() {
  evaluator_->wait_idle();
}

void Session::new_job() {
  history_.reset(Job{});
  results_.clear();
  path_.clear();
  selection_.clear();
  changed(false);
  emit selection_changed();
}

bool Session::open_job(const std::filesystem::path& path) {
  Result<Job> job = load_job(path);
  if (!job) {
    complain(job.issue());
    return false;
  }
  new_job();
  history_.reset(std::move(*job));
  path_ = path;
  changed(false);
  if (!this->job().parts.empty()) select({this->job().parts.front()->id});
  return true;
}

bool Session::save_job(const std::filesystem::path& path) {
  const auto written = anvil::save_job(*history_.committed(), path);
  if (!written) {
    complain(written.issue());
    return false;
  }
  path_ = path;
  history_.mark_saved();
  say(tr("Saved %1").arg(QString::fromStdString(path.filename().string())));
  emit job_changed(false);
  return true;
}

void Session::take_over(Job job, std::filesystem::path path) {
  new_job();
  history_.commit("recover", std::move(job));
  path_ = std::move(path);
  changed(false);
}

void Session::run_task(const QString& what, std::function<std::function<void()>()> work) {
  task_ = what;
  task_since_ = std::chrono::steady_clock::now();
  task_dropped_ = std::make_shared<std::atomic<bool>>(false);
  QThreadPool::globalInstance()->start([this, work = std::move(work), dropped = task_dropped_] {
    step_back_for_the_window();
    const auto finish = work();
    QMetaObject::invokeMethod(
        this,
        [this, finish, dropped] {
          if (*dropped) return;
          task_.clear();
          finish();
          emit files_finished();
        },
        Qt::QueuedConnection);
  });
}

void Session::bring_in(const std::vector<std::filesystem::path>& files, Unit unit) {
  run_task(
      files.size() == 1 ? tr("Reading %1").arg(QString::fromStdString(files[0].filename().string()))
                        : tr("Reading %1 files").arg(files.size()),
      [this, files, unit] {
        struct Read {
          Result<Part> part;
          std::vector<std::string> notes;
        };
        auto read = std::make_shared<std::vector<Read>>();
        for (const auto& file : files) {
          std::vector<std::string> notes;
          Result<Part> part = import_part(file, unit, &notes);
          read->push_back({std::move(part), std::move(notes)});
        }
        return std::function<void()>([this, read, unit] {
          Job next = job();
          if (!next.unit) next.unit = unit;
          std::vector<PartId> added;
          QString last;
          for (const Read& item : *read) {
            if (!item.part) {
              complain(item.part.issue());
              continue;
            }
            PartId id = 0;
            next = edit::add_part(next, *item.part, &id);
            added.push_back(id);
            last = QString::fromStdString(item.part->name);
            for (const std::string& note : item.notes)
              say(last + QStringLiteral(": ") + QString::fromStdString(note));
          }
          if (added.empty()) return;
          commit(added.size() == 1 ? tr("bring in %1").arg(last) : tr("bring in %1 parts").arg(added.size()),
                 next);
          select(added);
        });
      });
}

void Session::send_out(const std::vector<PartId>& parts, const std::filesystem::path& path) {
  std::vector<PlacedMesh> meshes;
  for (PartId id : parts)
    if (const PartResult r = result(id); r.evaluated)
      meshes.push_back({r.evaluated->mesh, job().world_of(id)});
  run_task(tr("Writing %1").arg(QString::fromStdString(path.filename().string())), [this, meshes, path] {
    const auto together = placed_together(meshes);
    const auto written = std::make_shared<Result<std::uintmax_t>>(write_mesh(together, path));
    // What counts is what stands in the file: some formats round to 32 bits.
    const bool was_sound = check_soundness(together).sound;
    const Result<Import> back = *written ? read_mesh(path) : Result<Import>(Issue{});
    const std::string now = was_sound && back ? verdict(check_soundness(back->mesh)) : std::string();
    const bool harmed = now.starts_with("Not");
    return std::function<void()>([this, written, path, harmed, now] {
      if (!*written)
        complain(written->issue());
      else if (harmed)
        complain({fmt::format("rounding to 32 bits spoiled it ({})", now),
                  path.string(),
                  {},
                  "export as OBJ, PLY or OFF, which keep all digits"});
      else
        say(tr("Sent out %1, %L2 bytes")
                .arg(QString::fromStdString(path.filename().string()))
                .arg(**written));
    });
  });
}

void Session::say(const QString& text) {
  emit said(text);
}
void Session::complain(const Issue& issue, PartId part) {
  emit complained(issue, part);
}

}  // namespace anvil::app
