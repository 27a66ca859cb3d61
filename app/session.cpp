// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/session.h"

#include <fmt/format.h>
#include <QCoreApplication>
#include <QDateTime>
#include <QFileInfo>
#include <QThreadPool>
#include <algorithm>
#include <utility>

#include "app/release_async.h"
#include "core/io/mesh_file.h"
#include "core/mend/mend.h"
#include "core/modify/find_again.h"
#include "core/modify/subdivide.h"
#include "core/soundness/check.h"
#include "job/background.h"
#include "job/job_file.h"
#include "job/job_json.h"

namespace anvil::app {

/// How long an older result stands for the one that is being made before that is said.
static constexpr std::chrono::milliseconds without_a_word{250};

Session::Session(QObject* parent) : QObject(parent) {
  writing_.setMaxThreadCount(1);
  writing_.setExpiryTimeout(-1);  // once there, it is there when memory is short
  evaluator_ = std::make_unique<Evaluator>([this](const Published& published) {
    QMetaObject::invokeMethod(
        this, [this, published] { receive(published); }, Qt::QueuedConnection);
  });
  constexpr int shown_at_latest = 1000, hand_rests = 400;  // milliseconds
  hand_rests_.setSingleShot(true);
  hand_rests_.setInterval(hand_rests);
  connect(&hand_rests_, &QTimer::timeout, this, [this] { ask(false); });
  shown_at_latest_.setSingleShot(true);
  shown_at_latest_.setInterval(shown_at_latest);
  connect(&shown_at_latest_, &QTimer::timeout, this, [this] { note_shown(received_); });
  moment_.setSingleShot(true);
  moment_.setInterval(without_a_word);
  connect(&moment_, &QTimer::timeout, this, [this] {
    emit standing_changed();
    // What was asked for since the moment began has its own still to come.
    const auto waits = [this](const PartPtr& part) { return !is_current(part->id) && was_current_just_now(part->id); };
    if (std::any_of(job().parts.begin(), job().parts.end(), waits)) moment_.start();
  });
  soon_.setSingleShot(true);
  soon_.setInterval(0);
  connect(&soon_, &QTimer::timeout, this, &Session::standing_changed);
  constexpr int gathered = 100;  // milliseconds
  gathering_.setSingleShot(true);
  gathering_.setInterval(gathered);
  connect(&gathering_, &QTimer::timeout, this, [this] {
    if (std::exchange(gathered_, false)) emit results_changed();
  });
  connect(this, &Session::result_changed, this, [this](PartId part) {
    if (gathering_.isActive() && part != recipe_owner()) {
      gathered_ = true;
      return;
    }
    gathered_ = false;
    gathering_.start();
    emit results_changed();
  });
  connect(this, &Session::result_changed, this, &Session::make_smooth_look);
  connect(this, &Session::selection_changed, this, &Session::make_smooth_look);
}

Session::~Session() {
  evaluator_.reset();
  writing_.waitForDone();
  QThreadPool::globalInstance()->waitForDone();
}

void Session::commit(const QString& label, Job job) {
  history_.commit(label.toStdString(), std::move(job));
  changed(false);
  settled();
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
  // However often something is dragged, it never comes where a file could not bring it back.
  for (const PartPtr& part : job.parts) {
    const Part* before = history_.committed()->find(part->id);
    if (before != nullptr && before->placement == part->placement) continue;
    if (auto issue = edit::check_placement(part->placement)) {
      issue->subject = part->name;
      drop_preview();
      return complain(*issue, part->id);
    }
  }
  commit(label, job);
}

void Session::drop_preview() {
  if (history_.current() == history_.committed()) return;
  history_.drop_preview();
  changed(false);
  settled();
}

void Session::when_settled(std::function<void()> work) {
  if (history_.current() != history_.committed())
    put_off_.push_back(std::move(work));
  else
    work();
}

void Session::settled() {
  for (const auto& work : std::exchange(put_off_, {})) work();
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

void Session::go_to_version(std::size_t place) {
  const bool back = place < history_.place();
  history_.go_to(place);
  changed(false);
  settled();
  say(back ? tr("Taken back up to: %1").arg(place == 0 ? tr("the beginning") : QString::fromStdString(history_.label(history_.place())))
           : tr("Done again up to: %1").arg(QString::fromStdString(history_.label(history_.place()))));
}

void Session::look_up_to(StepId step) {
  if (step == up_to_) return;
  up_to_ = step;
  changed(false);
  emit up_to_changed();
}

bool Session::add_step(const QString& label, PartId part, Step step, StepId* id) {
  StepId made = 0;
  if (!commit(label, edit::add_step(job(), part, std::move(step), &made, new_step_place()))) return false;
  if (up_to_ != 0) look_up_to(made);
  if (id != nullptr) *id = made;
  return true;
}

void Session::ask(bool live) {
  live ? hand_rests_.start() : hand_rests_.stop();
  for (const PartPtr& part : job().parts)
    if (is_current(part->id)) last_current_[part->id] = std::chrono::steady_clock::now();
  if (!moment_.isActive()) moment_.start();
  put_off_ask_ = live && unshown_;
  if (put_off_ask_) return;
  // One at a time: what is asked for while another is being made would come before that was seen.
  unshown_ = live && recipe_owner() != 0;
  asked_live_ = live;
  request_ = evaluator_->request(history_.current(), recipe_owner(), live, {up_to_ == 0 ? 0 : recipe_owner(), up_to_});
}

void Session::note_shown(std::uint64_t received) {
  if (received < received_ || request_ != answered_) return;
  unshown_ = false;
  shown_at_latest_.stop();
  if (put_off_ask_) ask(true);
}

void Session::changed(bool live) {
  const Job& now = job();
  std::erase_if(results_, [&](const auto& item) { return now.find(item.first) == nullptr; });
  const auto before = selection_;
  const StepId step_before = active_step_;
  std::erase_if(selection_, [&](PartId id) { return now.find(id) == nullptr; });
  if (!now.find_step(active_step_)) active_step_ = 0;
  stopped_ = false;
  const Job::Found up_to = now.find_step(up_to_);
  if (up_to_ != 0 && (!up_to || up_to.part->id != recipe_owner())) {
    up_to_ = 0;
    emit up_to_changed();
  }
  ask(live);
  emit job_changed(live);
  if (before != selection_) emit selection_changed();
  if (step_before != active_step_) emit active_step_changed();
}

void Session::receive(const Published& published) {
  if (published.request < first_request_ || job().find(published.part) == nullptr) return;
  PartResult& result = results_[published.part];
  const bool is_news = published.issue || result.issue || result.evaluated != published.evaluated || result.report != published.report;
  result.issue = published.issue;
  result.request = published.request;
  if (!published.issue) result.coarser = published.coarser;
  result.cast = published.job->find(published.part) != nullptr ? cast_of(*published.job, published.part) : Cast(published.part);
  if (!published.issue) {
    release_async(std::exchange(result.evaluated, published.evaluated));
    release_async(std::exchange(result.report, published.report));
  }
  if (is_news)
    emit result_changed(published.part);
  else if (!soon_.isActive())
    soon_.start();
  if (asked_live_ && !published.coarser && published.request == request_ && published.part == recipe_owner()) {
    answered_ = request_;
    if (is_news)
      ++received_, shown_at_latest_.start();
    else
      note_shown(received_);
  }
  answer_waiting();
}

bool Session::is_current(PartId id) const {
  if (put_off_ask_) return false;
  const auto it = results_.find(id);
  return it != results_.end() && it->second.request == request_ && (it->second.issue || it->second.report);
}

bool Session::was_current_just_now(PartId id) const {
  const auto last = last_current_.find(id);
  return last != last_current_.end() && std::chrono::steady_clock::now() - last->second < without_a_word;
}

Standing Session::standing(PartId id) const {
  const auto it = results_.find(id);
  if (is_current(id)) return it->second.trouble() != nullptr ? Standing::failed : Standing::current;
  if (stopped_) return Standing::stopped;
  const bool just_now = it != results_.end() && it->second.report && was_current_just_now(id);
  return !just_now ? Standing::being_made : it->second.trouble() != nullptr ? Standing::failed : Standing::current;
}

void Session::make_again() {
  if (stopped_) changed(false);
}

std::shared_ptr<const Mesh> Session::snapshot_of(PartId id) const {
  const PartResult now = result(id);
  if (!is_current(id) || now.trouble() != nullptr || now.evaluated->mesh->empty()) return nullptr;
  auto kept = std::make_shared<Mesh>(*now.evaluated->mesh);
  kept->origins.clear();  // it is its own source from now on
  return kept;
}

QString Session::named(PartId id, const std::string& text) const {
  return QString::fromStdString(with_names(job(), result(id).cast, text));
}

Issue Session::named(PartId id, const Issue& issue) const { return with_names(job(), result(id).cast, issue); }

bool Session::is_export_waiting() const {
  return exports_handed_over_.use_count() > 1 || std::any_of(waiting_.begin(), waiting_.end(), [](const Waiting& waiting) { return waiting.exports; }) ||
         std::any_of(tasks_.begin(), tasks_.end(), [](const auto& task) { return task->writes; });
}

void Session::when_ready(const std::vector<PartId>& parts, std::function<void(const std::vector<OutgoingPart>&)> then, bool exports) {
  // What goes on with a result means the whole of it.
  if (up_to_ != 0 && std::find(parts.begin(), parts.end(), recipe_owner()) != parts.end()) look_up_to(0);
  waiting_.push_back({parts, std::move(then), exports});
  if (stopped_) changed(false);
  answer_waiting();
}

void Session::answer_waiting() {
  for (Waiting& waiting : waiting_)
    std::erase_if(waiting.parts, [&](PartId id) { return job().find(id) == nullptr; });
  const auto ready = std::find_if(waiting_.begin(), waiting_.end(), [&](const Waiting& waiting) {
    return std::all_of(waiting.parts.begin(), waiting.parts.end(), [&](PartId id) { return is_current(id); });
  });
  if (ready == waiting_.end()) return;
  // Questions may follow: not from within what the worker has just delivered. The job may change until then.
  QMetaObject::invokeMethod(
      this,
      [this, handed_over = ready->exports ? exports_handed_over_ : nullptr, ready = std::move(*ready), document = document_] {
        // What is being dragged would be begun again from the job as it was, and take back what this does.
        when_settled([this, handed_over, ready, document] {
          if (document != document_) return;
          const bool all_there = std::all_of(ready.parts.begin(), ready.parts.end(), [&](PartId id) { return job().find(id) != nullptr; });
          if (!all_there || !std::all_of(ready.parts.begin(), ready.parts.end(), [&](PartId id) { return is_current(id); }))
            return when_ready(ready.parts, ready.then, ready.exports);
          std::vector<OutgoingPart> parts;
          for (PartId id : ready.parts) parts.push_back({id, result(id), job().world_of(id)});
          ready.then(parts);
        });
      },
      Qt::QueuedConnection);
  waiting_.erase(ready);
  answer_waiting();
}

void Session::set_active_step(StepId id) {
  if (id == active_step_) return;
  active_step_ = id;
  emit active_step_changed();
}

PartId Session::recipe_owner() const {
  const PartId id = chosen();
  if (id == 0) return 0;
  if (id == own_) return id;
  // A tool of several parts shows the recipe that was looked at before, where that uses it.
  if (owner_ != id && job().find(owner_) != nullptr && job().use_of(id, owner_)) return owner_;
  const auto use = job().use_of(id);
  return use ? use->part : id;
}

void Session::open_own_recipe(bool open) {
  own_ = open && job().is_tool(chosen()) ? chosen() : 0;
  owner_ = recipe_owner();
  set_active_step(0);
  if (up_to_ != 0) look_up_to(0);
  emit selection_changed();
}

std::optional<Job::Use> Session::use_here(PartId tool) const {
  if (auto use = job().use_of(tool, recipe_owner())) return use;
  return job().use_of(tool);
}

void Session::select(std::vector<PartId> ids) {
  std::erase_if(ids, [&](PartId id) { return job().find(id) == nullptr; });
  if (ids == selection_) return;
  owner_ = recipe_owner();
  selection_ = std::move(ids);
  // While its own tools are worked on, a tool's own recipe stays open.
  if (own_ != 0 && chosen() != own_ && (chosen() == 0 || !job().use_of(chosen(), own_))) own_ = 0;
  const auto found = job().find_step(active_step_);
  if (!found || found.part->id != recipe_owner()) set_active_step(0);
  if (const auto up_to = job().find_step(up_to_); up_to_ != 0 && (!up_to || up_to.part->id != recipe_owner())) look_up_to(0);
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
  auto since = [](std::chrono::steady_clock::time_point begin) {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  };
  if (!tasks_.empty()) return {tasks_.front()->what.toStdString(), since(tasks_.front()->since), 0};
  Evaluator::Activity now = evaluator_->activity();
  if (!waiting_.empty()) now = {now.what.empty() ? "Finishing" : now.what, since(waiting_.front().since), now.progress};
  return now;
}

void Session::stop_work() {
  evaluator_->stop();
  stopped_ = true;
  emit standing_changed();
  emit work_stopped();
  if (!std::exchange(waiting_, {}).empty()) say(tr("Stopped: nothing was written"));
  if (tasks_.empty()) return;
  // What writes tells at its end how far it came.
  for (const auto& task : tasks_) task->stop.request_stop();
  if (std::all_of(tasks_.begin(), tasks_.end(), [](const auto& task) { return task->writes; })) return;
  drop_reading();
  say(tr("Stopped"));
  emit files_finished();
}

void Session::drop_reading() {
  // A file that is being read cannot be interrupted; its result is thrown away instead.
  if (std::erase_if(tasks_, [](const auto& task) { return !task->writes && (task->dropped = true); }) > 0) emit reading_dropped();
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

void Session::keep_results_in(const std::filesystem::path& folder) {
  constexpr std::uintmax_t most = std::uintmax_t{1} << 30;
  store_.reset();
  if (!folder.empty()) {
    // Another build of the program may compute otherwise.
    const QFileInfo program(QCoreApplication::applicationFilePath());
    const std::string maker = fmt::format("{} {}", program.size(), program.lastModified().toMSecsSinceEpoch());
    store_ = std::make_shared<ResultStore>(folder, maker, most);
  }
  evaluator_->set_store(store_);
}

std::uintmax_t Session::empty_kept_results() {
  if (!store_) return 0;
  const std::uintmax_t held = store_->bytes();
  store_->clear();
  return held;
}

void Session::wait_idle() {
  evaluator_->wait_idle();
}

void Session::new_job() {
  history_.reset(Job{});
  results_.clear();
  last_current_.clear();
  mend_plans_.clear();
  waiting_.clear();
  drop_reading();
  ++document_;
  stand_at({});
  selection_.clear();
  own_ = 0;
  changed(false);
  first_request_ = request_;
  emit selection_changed();
}

/// One name for one file, however it was named: its lock goes by it.
static std::filesystem::path whole_name(const std::filesystem::path& path) {
  std::error_code error;
  const std::filesystem::path whole = std::filesystem::absolute(path, error);
  return error ? path : whole.lexically_normal();
}

static std::function<void()> told_not_done(const std::function<void(bool)>& finished) {
  return [finished] {
    if (finished) finished(false);
  };
}

void Session::open_job(const std::filesystem::path& named, std::function<void(bool)> finished) {
  const std::filesystem::path path = whole_name(named);
  const JobPtr before = history_.committed();
  struct Opened {
    std::optional<Job> job;
    std::vector<std::string> lost;
    QString read_only;
    Issue issue;  // where there is no job
  };
  read_beside(tr("Opening %1").arg(QString::fromStdString(path.filename().string())), [this, path, before, finished](const std::stop_token&) {
    const auto opened = std::make_shared<Opened>();
    if (Result<Job> whole = load_job(path)) {
      opened->job = std::move(*whole);
    } else {
      opened->issue = whole.issue();
      if (Result<SalvagedJob> salvaged = salvage_job(path)) {
        opened->job = std::move(salvaged->job);
        opened->lost = std::move(salvaged->lost);
        opened->read_only = salvaged->version > job_format_version ? tr("was written by a newer version of Clean Anvil") : tr("is damaged");
      }
    }
    return std::function<void()>([this, opened, path, before, finished] {
      bool good = opened->job.has_value();
      if (!good) {
        complain(opened->issue);
      } else if (history_.committed() != before) {
        good = false;
        complain({"was read, but the job here has been changed meanwhile", path.string(), {}, "save it, and open the other one again"});
      } else {
        new_job();
        history_.reset(std::move(*opened->job));
        stand_at(path);
        if (!opened->read_only.isEmpty()) read_only_ = opened->read_only;
        changed(false);
        if (!job().parts.empty()) select({job().parts.front()->id});
        if (!read_only_.isEmpty())
          complain({"this job " + read_only_.toStdString(), path.string(), {}, "look at it and export from it; save it under another name to go on with it"});
        QStringList lost;
        for (const std::string& one : opened->lost) lost << QString::fromStdString(one);
        if (!lost.isEmpty()) emit damage_found(path, lost);
      }
      if (finished) finished(good);
    });
  }, told_not_done(finished));
}

QString Session::take_lock(const std::filesystem::path& path, std::shared_ptr<QLockFile>& lock) {
  // A saving of this window under that name may be under way.
  std::erase_if(locks_, [](const auto& item) { return item.second.expired(); });
  if (const auto own = locks_.find(path); own != locks_.end()) {
    lock = own->second.lock();
    return {};
  }
  lock = std::make_shared<QLockFile>(QString::fromStdString((path.parent_path() / ("." + path.filename().string() + ".lock")).string()));
  lock->setStaleLockTime(0);  // only one whose program has ended
  if (lock->tryLock(0)) {
    locks_[path] = lock;
    return {};
  }
  const bool is_held = lock->error() == QLockFile::LockFailedError;
  qint64 process = 0;
  QString host, program, who;
  if (is_held && lock->getLockInfo(&process, &host, &program))
    who = tr("is open in another window: %1, process %2 on %3").arg(QFileInfo(lock->fileName()).owner()).arg(process).arg(host);
  else if (is_held)
    who = tr("is open in another window");
  lock.reset();
  return who;
}

void Session::stand_at(const std::filesystem::path& path, std::shared_ptr<QLockFile> taken) {
  path_ = path;
  lock_.reset();
  lock_ = std::move(taken);
  read_only_ = path.empty() || lock_ != nullptr ? QString() : take_lock(path, lock_);
}

void Session::save_job(const std::filesystem::path& named, std::function<void(bool)> finished) {
  const std::filesystem::path path = whole_name(named);
  const auto refuse = [&](const QString& why) {
    complain({"not saved: this job " + why.toStdString(), path.string(), {}, "save it under another name"});
    if (finished) finished(false);
  };
  std::shared_ptr<QLockFile> lock = lock_;
  if (path == path_ && !read_only_.isEmpty()) return refuse(read_only_);
  if (path != path_)
    if (const QString who = take_lock(path, lock); !who.isEmpty()) return refuse(who);
  const JobPtr version = history_.committed();
  write_beside(tr("Saving %1").arg(QString::fromStdString(path.filename().string())),
               [this, path, version, finished, lock, document = document_](const std::stop_token&) {
    const auto written = std::make_shared<Result<std::uintmax_t>>(anvil::save_job(*version, path, Backup::keep));
    return std::function<void()>([this, written, path, version, finished, lock, document] {
      if (!*written) {
        complain(written->issue());
      } else {
        say(tr("Saved %1").arg(QString::fromStdString(path.filename().string())));
        // Another job may stand here by now, and must not be saved over this file.
        if (document == document_) {
          if (path != path_) stand_at(path, lock);
          history_.mark_saved(version);
          emit job_changed(false);
        }
      }
      if (finished) finished(written->ok());
    });
  }, told_not_done(finished));
}

void Session::take_over(Job job, const std::filesystem::path& path) {
  new_job();
  history_.reset(std::move(job));
  history_.mark_saved(nullptr);  // no file holds it but the copy
  stand_at(path);
  changed(false);
}

void Session::read_beside(const QString& what, Work work, std::function<void()> failed) {
  run(what, false, std::move(work), std::move(failed));
}

void Session::write_beside(const QString& what, Work work, std::function<void()> failed) {
  run(what, true, std::move(work), std::move(failed));
}

void Session::run(const QString& what, bool writes, Work work, std::function<void()> failed) {
  const auto task = std::make_shared<Task>();
  task->what = what;
  task->writes = writes;
  tasks_.push_back(task);
  QThreadPool* pool = writes ? &writing_ : QThreadPool::globalInstance();
  pool->start([this, work = std::move(work), failed = std::move(failed), task] {
    step_back(Behind::window);
    std::function<void()> finish;
    try {
      finish = work(task->stop.get_token());
    } catch (const std::bad_alloc&) {
      finish = [this, failed, task] {
        complain({"not done: there is not enough memory", task->what.toStdString(), {}, "close other jobs, or hide or delete parts"});
        if (failed) failed();
      };
    }
    QMetaObject::invokeMethod(
        this,
        [this, finish, task] {
          when_settled([this, finish, task] {
            if (task->dropped) return;
            std::erase(tasks_, task);
            finish();
            emit files_finished();
          });
        },
        Qt::QueuedConnection);
  });
}

struct Session::ReadFiles {
  struct File {
    std::filesystem::path path;
    Result<Part> part;
    std::vector<std::string> notes;
  };
  std::vector<File> files;
  /// Those without a unit become millimetres.
  void scale(Unit unit) {
    for (File& file : files) {
      if (!file.part || !needs_unit(file.path) || unit == Unit::millimetre) continue;
      auto& source = std::get<ImportedSource>(file.part->source);
      auto mesh = std::make_shared<Mesh>(*source.mesh);
      for (Vec3& p : mesh->positions) p *= millimetres_per(unit);
      source.mesh = std::move(mesh);
    }
  }
};

static double longest_side(const Mesh& mesh) {
  Box3 box;
  for (const Vec3& p : mesh.positions) box.add(p);
  return box.size().maxCoeff();
}

void Session::bring_in(const std::vector<std::filesystem::path>& files, Unit unit) {
  bring_in(files, [unit](double) { return unit; });
}

void Session::bring_in(const std::vector<std::filesystem::path>& files, const AskUnit& ask) {
  read_beside(
      files.size() == 1 ? tr("Reading %1").arg(QString::fromStdString(files[0].filename().string()))
                        : tr("Reading %1 files").arg(files.size()),
      [this, files, ask](const std::stop_token&) {
        auto read = std::make_shared<ReadFiles>();
        double longest = 0;
        for (const auto& file : files) {
          std::vector<std::string> notes;
          Result<Part> part = import_part(file, Unit::millimetre, &notes);
          if (part && needs_unit(file)) longest = std::max(longest, longest_side(*std::get<ImportedSource>(part->source).mesh));
          read->files.push_back({file, std::move(part), std::move(notes)});
        }
        return std::function<void()>([this, read, ask, longest] {
          if (longest == 0) return add_read(read, {});
          // Other files may have been asked about meanwhile.
          const std::optional<Unit> known = job().unit, unit = known ? known : ask(longest);
          if (!unit) return;
          if (*unit == Unit::millimetre) return add_read(read, unit);
          read_beside(tr("Scaling"), [this, read, unit](const std::stop_token&) {
            read->scale(*unit);
            return std::function<void()>([this, read, unit] { add_read(read, unit); });
          });
        });
      });
}

void Session::add_read(const std::shared_ptr<ReadFiles>& read, std::optional<Unit> unit) {
  Job next = job();
  if (!next.unit) next.unit = unit;
  std::vector<PartId> added;
  QString last;
  for (const ReadFiles::File& item : read->files) {
    if (!item.part) {
      complain(item.part.issue(), 0, {}, Complaint::stays);
      continue;
    }
    PartId id = 0;
    next = edit::add_part(next, *item.part, &id);
    added.push_back(id);
    last = QString::fromStdString(item.part->name);
    for (const std::string& note : item.notes) complain({note, item.part->name, {}, ""}, 0, {}, Complaint::noted);
  }
  if (added.empty()) return;
  commit(added.size() == 1 ? tr("bring in %1").arg(last) : tr("bring in %1 parts").arg(added.size()), next);
  select(added);
}

std::optional<double> Session::length_as_read(PartId id) const {
  const Part* part = job().find(id);
  const auto* source = part == nullptr ? nullptr : std::get_if<ImportedSource>(&part->source);
  if (source == nullptr || !needs_unit(source->file)) return std::nullopt;
  return longest_side(*source->mesh) / millimetres_per(job().unit.value_or(Unit::millimetre));
}

void Session::change_unit(Unit unit) {
  const double times = millimetres_per(unit) / millimetres_per(job().unit.value_or(Unit::millimetre));
  std::vector<std::pair<PartId, std::shared_ptr<const Mesh>>> meshes;
  for (PartId id : selection_)
    if (length_as_read(id) && times != 1) meshes.emplace_back(id, std::get<ImportedSource>(job().at(id).source).mesh);
  read_beside(tr("Scaling"), [this, unit, times, meshes](const std::stop_token&) {
    auto scaled = std::make_shared<std::vector<std::pair<PartId, std::shared_ptr<const Mesh>>>>(meshes);
    for (auto& [id, mesh] : *scaled) {
      auto other = std::make_shared<Mesh>(*mesh);
      for (Vec3& p : other->positions) p *= times;
      mesh = std::move(other);
    }
    return std::function<void()>([this, unit, scaled, meshes] {
      Result<Job> next = job();
      next->unit = unit;
      for (std::size_t k = 0; k < scaled->size(); ++k) {
        const Part* part = next->find(meshes[k].first);
        const auto* source = part == nullptr ? nullptr : std::get_if<ImportedSource>(&part->source);
        if (source == nullptr || source->mesh != meshes[k].second) continue;  // changed meanwhile
        next = edit::change_part(*next, meshes[k].first, [&](Part& p) { std::get<ImportedSource>(p.source).mesh = (*scaled)[k].second; });
        if (!next) break;
      }
      commit(tr("change the unit"), next);
    });
  });
}

/// What counts is what stands in the file: some formats round to 32 bits. @return the verdict, where that made a sound mesh
/// unsound; empty else. Throws Stopped.
static std::string harm_done_by_writing(const Mesh& mesh, const std::filesystem::path& path, const std::stop_token& stop) {
  if (!is_sound(mesh, {}, 1, stop)) return {};
  const Result<Import> back = read_mesh(path);
  if (!back) return back.issue().message();
  const SoundnessReport report = check_soundness(back->mesh, stop);
  return report.sound ? std::string() : verdict(report);
}

void Session::send_out(const std::vector<OutgoingPart>& parts, const std::filesystem::path& path, const WriteSettings& settings) {
  std::vector<PlacedMesh> meshes;
  std::vector<PartInFile> named;
  for (const OutgoingPart& part : parts) {
    if (!part.result.evaluated) continue;
    meshes.push_back({part.result.evaluated->mesh, part.world});
    const Part& own = job().at(part.id);
    named.push_back({own.name, own.tint.value_or(PartInFile().colour), {}});
  }
  write_beside(tr("Writing %1").arg(QString::fromStdString(path.filename().string())), [this, meshes, named, path, settings, title = job().title](const std::stop_token& stop) {
    const auto together = placed_together(meshes);
    WriteSettings how = settings;
    how.title = title;
    if (const auto format = format_of(path); format && *format == MeshFormat::threemf) how.parts = named;
    for (std::size_t k = 0; k < how.parts.size(); ++k) how.parts[k].mesh = placed_together({meshes[k]});
    const std::function<void()> nothing_written = [this] { say(tr("Stopped: nothing was written")); };
    if (stop.stop_requested()) return nothing_written;
    const auto notes = std::make_shared<std::vector<std::string>>();
    std::shared_ptr<Result<std::uintmax_t>> written;
    try {
      written = std::make_shared<Result<std::uintmax_t>>(write_mesh(together, path, notes.get(), how, {stop}));
    } catch (const Stopped&) {
      return nothing_written;
    }
    std::string harm;
    bool checked = true;
    if (*written) try {
        harm = harm_done_by_writing(together, path, stop);
      } catch (const Stopped&) {
        checked = false;
      }
    return std::function<void()>([this, written, path, harm, checked, notes] {
      const QString name = QString::fromStdString(path.filename().string());
      if (!*written)
        complain(written->issue(), 0, {}, Complaint::stays);
      else if (!harm.empty())
        complain({fmt::format("is not sound in the file ({})", harm), path.string(), {}, "export as 3MF or, for all digits, as OBJ, PLY or OFF"}, 0, {}, Complaint::stays);
      else if (!checked)
        say(tr("Sent out %1, %L2 bytes; whether it is sound in the file was not looked at, as you stopped it").arg(name).arg(**written));
      else
        say(tr("Sent out %1, %L2 bytes").arg(name).arg(**written));
      if (!*written) return;
      for (const std::string& note : *notes) complain({note, path.filename().string(), {}, ""}, 0, {}, Complaint::noted);
    });
  });
}

void Session::break_out(PartId part) {
  when_ready({part}, [this, part](const std::vector<OutgoingPart>& ready) {
    if (ready.empty()) return;
    if (const Issue* trouble = ready[0].result.trouble()) return complain(named(part, *trouble), part);
    read_beside(tr("Breaking out"), [this, part, evaluated = ready[0].result.evaluated](const std::stop_token&) {
      const auto pieces = std::make_shared<std::vector<Mesh>>(separate_pieces(*evaluated));
      return std::function<void()>([this, part, pieces] {
        if (job().find(part) == nullptr) return;
        if (pieces->size() < 2) return complain({"is all in one piece", job().at(part).name, {}, "split it first"}, part);
        std::vector<PartId> ids;
        commit(tr("break out"), edit::break_out(job(), part, *pieces, &ids));
        select(ids);
        say(tr("%1 pieces; the part they came from is hidden").arg(ids.size()));
      });
    });
  });
}

const Session::MendPlan* Session::mend_plan(PartId part) const {
  const auto it = mend_plans_.find(part);
  return it != mend_plans_.end() && it->second.of == result(part).evaluated ? &it->second : nullptr;
}

void Session::make_mend_plan(PartId part) {
  when_ready({part}, [this, part](const std::vector<OutgoingPart>& ready) {
    if (ready.empty()) return;
    if (const Issue* trouble = ready[0].result.trouble()) return complain(named(part, *trouble), part);
    read_beside(tr("Planning to mend %1").arg(QString::fromStdString(job().at(part).name)), [this, part, evaluated = ready[0].result.evaluated](const std::stop_token& stop) {
      const StepKind& kind = steps::mend;
      const FieldValues values = initial_values(kind.fields);
      StepInput input{evaluated->mesh, cast_token(0), {}, {kind.fields, values}, {}, nullptr, {}};
      input.control.stop = stop;
      input.piece = evaluated->piece;
      input.pieces = evaluated->pieces;
      std::shared_ptr<const Comparison> outcome;
      try {
        if (Result<StepOutput> output = kind.run(input)) outcome = output->comparison;
      } catch (const Stopped&) {
      }
      return std::function<void()>([this, part, evaluated, outcome] {
        if (outcome == nullptr || job().find(part) == nullptr) return;
        mend_plans_[part] = {evaluated, outcome};
        emit mend_plan_made(part);
      });
    });
  });
}

bool Session::mend(const std::vector<PartId>& parts, const std::vector<std::string>& keys) {
  Step step = new_step(steps::mend);
  for (const Mender* mender : mender_table())
    step.fields[*field_place(step.kind->fields, mender->key)] = std::find(keys.begin(), keys.end(), mender->key) != keys.end();
  Result<Job> next = job();
  StepId id = 0;
  for (PartId part : parts) {
    next = edit::add_step(*next, part, step, &id, new_step_place());
    if (!next) break;
  }
  if (parts.empty() || !commit(tr("mend"), next)) return false;
  if (up_to_ != 0) look_up_to(id);
  select({parts.back()});
  set_active_step(id);
  return true;
}

bool Session::is_mendable(const Family& family) {
  return std::any_of(mender_table().begin(), mender_table().end(), [&](const Mender* m) { return m->family == &family || m->also == &family; });
}

bool Session::mend_chosen() {
  Step step = new_step(steps::mend);
  step.name = tr("Mend at chosen").toStdString();
  step.fields[*field_place(step.kind->fields, "only")] = chooser_.text();
  return add_step(tr("mend"), recipe_owner(), step);
}

bool Session::mend_family(PartId part, const Family& family, const Defect* at) {
  const EvaluatedPtr evaluated = result(part).evaluated;
  if (evaluated == nullptr) return false;
  Step step = new_step(steps::mend);
  step.name = tr("Mend: %1").arg(QString::fromUtf8(family.label).toLower()).toStdString();
  for (const Mender* mender : mender_table()) step.fields[*field_place(step.kind->fields, mender->key)] = mender->family == &family || mender->also == &family;
  if (at != nullptr) {
    const Mesh& mesh = *evaluated->mesh;
    const Topology topology(mesh);
    Elements elements{ElementKind::faces, at->faces};
    if (elements.empty()) elements = {ElementKind::vertices, at->vertices};
    step.fields[*field_place(step.kind->fields, "only")] = describe(mesh, topology, elements);
  }
  return add_step(tr("mend"), part, step);
}

bool Session::mend_all(const std::vector<PartId>& parts) {
  std::vector<std::string> keys;
  for (const Mender* mender : mender_table())
    if (mender->ticked) keys.push_back(mender->key);
  return mend(parts, keys);
}

void Session::set_smooth_levels(int levels) {
  smooth_levels_ = levels;
  make_smooth_look();
  emit smooth_look_changed();
}

std::shared_ptr<const Drawable> Session::smooth_look(PartId part) const {
  if (smooth_levels_ == 0 || part != recipe_owner() || smooth_.levels != smooth_levels_) return nullptr;
  const EvaluatedPtr now = result(part).evaluated;
  return smooth_.of != nullptr && now != nullptr && smooth_.of->mesh == now->mesh ? smooth_.drawable : nullptr;
}

void Session::make_smooth_look() {
  const EvaluatedPtr of = recipe_owner() == 0 ? nullptr : result(recipe_owner()).evaluated;
  if (smooth_levels_ == 0 || of == nullptr || of->mesh->cloud) return;
  if (smooth_.of != nullptr && smooth_.of->mesh == of->mesh && smooth_.levels == smooth_levels_) return;
  smooth_ = {of, smooth_levels_, nullptr};
  constexpr std::size_t max_faces = 2'000'000;
  if (const std::size_t faces = subdivided_faces(*of->mesh, smooth_levels_); faces > max_faces) {
    say(tr("The smooth look would have %L1 faces, more than %L2: reduce the part or look at it once only").arg(faces).arg(max_faces));
    return;
  }
  read_beside(tr("Smoothing"), [this, of, levels = smooth_levels_](const std::stop_token& stop) {
    std::shared_ptr<const Drawable> made;
    try {
      made = std::make_shared<const Drawable>(make_drawable(subdivide(*of->mesh, levels).mesh, stop));
    } catch (const Stopped&) {
    }
    return std::function<void()>([this, of, levels, made] {
      if (smooth_.of == of && smooth_.levels == levels) smooth_.drawable = made;
      emit smooth_look_changed();
    });
  });
}

void Session::edit_chosen(const StepKind& kind) {
  const PartId owner = recipe_owner();
  const auto place = field_place(kind.fields, "chosen");
  if (owner == 0 || !place) return;
  Step step = new_step(kind);
  step.fields[*place] = chooser_.text();
  // What cannot be done is told at once, and no step is left behind that fails.
  constexpr std::size_t max_tried = 300'000;  // faces
  if (const EvaluatedPtr on = chooser_.evaluated(); on && on->mesh->face_count() <= max_tried) {
    const Result<StepOutput> tried = kind.run({on->mesh, job().at(owner).name, {}, step.values(), {}, nullptr, {}, on->piece, on->pieces});
    if (!tried) return complain(tried.issue(), owner);
  }
  StepId id = 0;
  if (!add_step(QString::fromStdString(kind.label).toLower(), owner, step, &id)) return;
  set_active_step(kind.fields.size() > 1 ? id : 0);
}

void Session::say(const QString& text) {
  emit said(text);
}
void Session::complain(const Issue& issue, PartId part, const std::vector<Remedy>& remedies, Complaint kind) {
  emit complained(issue, part, kind);
  if (!remedies.empty()) emit remedies_offered(remedies);
}

}  // namespace anvil::app
