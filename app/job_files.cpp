// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/job_files.h"

#include <QApplication>
#include <QFileDialog>
#include <QFileInfo>
#include <QMessageBox>
#include <QPushButton>
#include <QSettings>
#include <QTimer>
#include <algorithm>

#include "app/autosave.h"
#include "app/export_dialog.h"
#include "app/save_dialog.h"
#include "core/io/mesh_file.h"
#include "job/job_file.h"

namespace anvil::app {
namespace {

constexpr const char* mesh_filter =
    "Meshes: STL, OBJ, PLY, OFF, 3MF (*.stl *.obj *.ply *.off *.3mf *.STL *.OBJ *.PLY *.OFF *.3MF);;All files (*)";
constexpr const char* mesh_and_point_filter =
    "Meshes and points: STL, OBJ, PLY, OFF, 3MF, XYZ, ASC, TXT, PTS, CSV (*.stl *.obj *.ply *.off *.3mf *.xyz *.asc *.txt *.pts *.csv *.STL *.OBJ *.PLY *.OFF *.3MF *.XYZ *.ASC *.TXT *.PTS *.CSV);;All files (*)";
constexpr const char* point_filter = "Points: PLY, XYZ (*.ply *.xyz)";

}  // namespace

JobFiles::JobFiles(Session& session, Autosave& autosave, QWidget* window)
    : QObject(window), session_(session), autosave_(autosave), window_(window) {
  // A dialog waits for an answer; the job has to stand there by then.
  connect(&session_, &Session::damage_found, this, &JobFiles::tell_damage, Qt::QueuedConnection);
}

QStringList JobFiles::recent() { return QSettings().value(QStringLiteral("recent")).toStringList(); }

static void note_recent(const QString& path) {
  QStringList list = JobFiles::recent();
  const QString whole = QFileInfo(path).absoluteFilePath();
  list.removeAll(whole);
  list.prepend(whole);
  QSettings().setValue(QStringLiteral("recent"), QStringList(list.mid(0, JobFiles::max_recent)));
}

void JobFiles::tell_damage(const std::filesystem::path& path, const QStringList& lost) {
  constexpr qsizetype told = 12;
  QMessageBox box(QMessageBox::Warning, tr("Not whole"),
                  tr("Not all of %1 could be read. What is here is whole; this is lost:\n\n%2%3\n\nThe file itself is left as it is. Save what is here under another name.")
                      .arg(QString::fromStdString(path.filename().string()), lost.mid(0, told).join(QLatin1Char('\n')),
                           lost.size() > told ? tr("\nand %1 more").arg(lost.size() - told) : QString()),
                  QMessageBox::Ok, window_);
  box.setObjectName(QStringLiteral("damage"));
  box.exec();
}

/// A question with two answers and a way back. @return the role of the one that was given: accept, destructive or reject
static QMessageBox::ButtonRole asked(QWidget* window, const QString& name, const QString& text, const QString& accept, const QString& drop) {
  QMessageBox box(QMessageBox::NoIcon, QMessageBox::tr("Clean Anvil"), text, QMessageBox::NoButton, window);
  box.setObjectName(name);
  box.setDefaultButton(box.addButton(accept, QMessageBox::AcceptRole));
  box.addButton(drop, QMessageBox::DestructiveRole);
  box.addButton(QMessageBox::Cancel);
  box.exec();
  return box.clickedButton() == nullptr ? QMessageBox::RejectRole : box.buttonRole(box.clickedButton());
}

void JobFiles::when_discardable(std::function<void()> go_on) {
  if (session_.history().saved()) return go_on();
  const QMessageBox::ButtonRole answer = asked(window_, QStringLiteral("unsaved"), tr("Save the changes to this job first?"), tr("Save"), tr("Don't save"));
  if (answer == QMessageBox::AcceptRole)
    // What was changed while it was being saved is asked for again.
    save_job(false, [this, go_on](bool saved) {
      if (saved) when_discardable(go_on);
    });
  else if (answer == QMessageBox::DestructiveRole)
    go_on();  // the safety copy stays until another job takes this one's place
}

void JobFiles::new_job() {
  when_discardable([this] { session_.new_job(); });
}

void JobFiles::open_job() {
  when_discardable([this] {
    const QString path =
        QFileDialog::getOpenFileName(window_, tr("Open job"), folder_, tr("Jobs (*.anvil)"), nullptr, QFileDialog::DontUseNativeDialog);
    if (!path.isEmpty()) open_path(path);
  });
}

void JobFiles::open_path(const QString& path, std::function<void()> then) {
  folder_ = QFileInfo(path).path();
  session_.open_job(path.toStdString(), [this, then = std::move(then)](bool good) {
    if (good) {
      note_recent(QString::fromStdString(session_.path().string()));
      emit job_opened();
    }
    if (then) then();
  });
}

void JobFiles::save_job(bool ask_name, std::function<void(bool)> finished) {
  QString path = QString::fromStdString(session_.path().string());
  if (ask_name || path.isEmpty() || !session_.read_only().isEmpty()) {
    SaveDialog dialog(window_, tr("Save job"), folder_, QString::fromStdString(session_.job().title) + QStringLiteral(".anvil"), tr("Jobs (*.anvil)"), [](const QString& name) {
      return name.endsWith(QStringLiteral(".anvil"), Qt::CaseInsensitive) ? name : name + QStringLiteral(".anvil");
    });
    path = dialog.ask();
    if (path.isEmpty()) return;
    folder_ = QFileInfo(path).path();
  }
  session_.save_job(path.toStdString(), [path, finished = std::move(finished)](bool saved) {
    if (saved) note_recent(path);
    if (finished) finished(saved);
  });
}

void JobFiles::bring_in() {
  const QStringList files =
      QFileDialog::getOpenFileNames(window_, tr("Bring in"), folder_, tr(mesh_and_point_filter), nullptr,
                                    QFileDialog::DontUseNativeDialog | QFileDialog::HideNameFilterDetails);
  if (files.isEmpty()) return;
  folder_ = QFileInfo(files.first()).path();
  bring_in(files);
}

/// A length as people read it, three digits.
static QString length_in_words(double millimetres) {
  if (millimetres >= 1000) return QStringLiteral("%1 m").arg(QString::number(millimetres / 1000, 'g', 3));
  return QStringLiteral("%1 mm").arg(QString::number(millimetres, 'g', 3));
}

std::optional<Unit> JobFiles::ask_unit(double longest) {
  const auto becomes = [&](Unit unit) { return length_in_words(longest * millimetres_per(unit)); };
  QMessageBox box(QMessageBox::NoIcon, tr("Unit of the files"),
                  tr("These files do not say what unit they are in. What is one unit in them?\n\n"
                     "Millimetre: %1 long\nInch: %2 long\nMetre: %3 long\n\n"
                     "The job itself is in millimetres. This is asked once per job; the job menu changes it later.")
                      .arg(becomes(Unit::millimetre), becomes(Unit::inch), becomes(Unit::metre)),
                  QMessageBox::NoButton, window_);
  box.setObjectName(QStringLiteral("unit"));
  auto* mm = box.addButton(tr("Millimetre"), QMessageBox::AcceptRole);
  auto* inch = box.addButton(tr("Inch"), QMessageBox::AcceptRole);
  auto* metre = box.addButton(tr("Metre"), QMessageBox::AcceptRole);
  box.addButton(QMessageBox::Cancel);
  box.setDefaultButton(mm);
  box.exec();
  if (box.clickedButton() == mm) return Unit::millimetre;
  if (box.clickedButton() == inch) return Unit::inch;
  if (box.clickedButton() == metre) return Unit::metre;
  return std::nullopt;
}

void JobFiles::change_unit() {
  double longest = 0;
  for (PartId id : session_.selection()) longest = std::max(longest, session_.length_as_read(id).value_or(0));
  const auto unit = ask_unit(longest > 0 ? longest : 1);
  if (unit) session_.change_unit(*unit);
}

void JobFiles::bring_in(const QStringList& files) {
  std::vector<std::filesystem::path> paths;
  for (const QString& file : files) paths.emplace_back(file.toStdString());
  session_.bring_in(paths, [this](double longest) { return ask_unit(longest); });
}

void JobFiles::open_paths(const QStringList& paths) {
  QStringList meshes;
  QString job;
  for (const QString& path : paths)
    if (path.endsWith(QStringLiteral(".anvil"), Qt::CaseInsensitive))
      job = path;
    else
      meshes << path;
  // What is brought in goes into the job that is opened, not into the one before.
  const auto bring_meshes = [this, meshes] {
    if (!meshes.isEmpty()) bring_in(meshes);
  };
  if (job.isEmpty()) return bring_meshes();
  when_discardable([this, job, bring_meshes] { open_path(job, bring_meshes); });
}

void JobFiles::when_exports_are_done(std::function<void()> go_on) {
  if (!session_.is_export_waiting()) return go_on();
  // Another wait, where somebody wanted to leave before, is that one from now on. What there is to be told keeps the window open, also
  // where it comes while the question stands.
  delete leaving_;
  leaving_ = new QTimer(this);
  const auto stays = std::make_shared<bool>(false);
  const auto stay = [stays] { *stays = true; };
  connect(&session_, &Session::complained, leaving_, stay);
  connect(&session_, &Session::work_stopped, leaving_, stay);
  connect(leaving_, &QTimer::timeout, this, [this, stays, go_on] {
    if (!*stays && (session_.is_export_waiting() || QApplication::activeModalWidget() != nullptr)) return;
    leaving_->stop();
    leaving_->deleteLater();
    if (!*stays) go_on();
  });
  const QMessageBox::ButtonRole answer = asked(window_, QStringLiteral("export_waits"), tr("A file is still being written, or waits for its result. Leave only once it is there?"), tr("Wait, then leave"),
                                               tr("Leave without it"));
  if (answer == QMessageBox::DestructiveRole) {
    session_.stop_work();
    return go_on();
  }
  if (answer != QMessageBox::AcceptRole) return;
  constexpr int looked_at_each = 100;  // milliseconds
  leaving_->start(looked_at_each);
}

std::vector<PartId> JobFiles::mendable(const std::vector<OutgoingPart>& parts) const {
  std::vector<PartId> found;
  for (const OutgoingPart& part : parts) {
    const auto& recipe = session_.job().at(part.id).recipe;
    const bool tried = !recipe.empty() && recipe.back().on && recipe.back().kind == &steps::mend;
    if (part.result.trouble() == nullptr && !part.result.report->sound && !part.result.evaluated->open_on_purpose && !tried) found.push_back(part.id);
  }
  return found;
}

JobFiles::Unsound JobFiles::ask_unsound(const std::vector<OutgoingPart>& parts) {
  QStringList unsound;
  for (const OutgoingPart& part : parts) {
    const QString name = QString::fromStdString(session_.job().at(part.id).name);
    if (const Issue* trouble = part.result.trouble())
      unsound << tr("%1: %2\n  (what is written is the part as far as its recipe could be carried out)")
                     .arg(name, QString::fromStdString(session_.named(part.id, *trouble).message()));
    else if (!part.result.report->sound)
      unsound << QStringLiteral("%1: %2").arg(name, QString::fromStdString(verdict(*part.result.report)));
  }
  if (unsound.isEmpty()) return Unsound::export_anyway;
  QMessageBox box(QMessageBox::Warning, tr("Not sound"),
                  tr("What you are about to export is not sound:\n\n%1").arg(unsound.join(QLatin1Char('\n'))), QMessageBox::NoButton, window_);
  box.setObjectName(QStringLiteral("not_sound"));
  auto* look = box.addButton(tr("Look at the places"), QMessageBox::ActionRole);
  QAbstractButton* mend = mendable(parts).empty() ? nullptr : box.addButton(tr("Mend and export"), QMessageBox::AcceptRole);
  auto* anyway = box.addButton(tr("Export anyway"), QMessageBox::AcceptRole);
  box.addButton(QMessageBox::Cancel);
  box.setDefaultButton(look);
  box.exec();
  if (box.clickedButton() == look) emit places_wanted();
  if (mend != nullptr && box.clickedButton() == mend) return Unsound::mend_first;
  return box.clickedButton() == anyway ? Unsound::export_anyway : Unsound::leave;
}

std::vector<PartId> JobFiles::ask_what_to_export(const std::vector<PartId>& chosen) {
  const Job& job = session_.job();
  std::vector<PartId> parts;
  for (PartId id : chosen)
    if (std::none_of(chosen.begin(), chosen.end(), [&](PartId other) { return other != id && job.depends_on(other, id); })) parts.push_back(id);
  const auto use = parts.size() == 1 ? job.use_of(parts[0], session_.recipe_owner()) : std::nullopt;
  if (!use) return parts;
  const QString tool = QString::fromStdString(job.at(parts[0]).name), part = QString::fromStdString(job.at(use->part).name);
  QMessageBox box(QMessageBox::NoIcon, tr("Export chosen"), tr("%1 is a tool of %2. What is to be written?").arg(tool, part), QMessageBox::NoButton, window_);
  box.setObjectName(QStringLiteral("export_what"));
  auto* whole = box.addButton(tr("%1, with its tools").arg(part), QMessageBox::AcceptRole);
  auto* alone = box.addButton(tr("%1 alone").arg(tool), QMessageBox::AcceptRole);
  box.addButton(QMessageBox::Cancel);
  box.setDefaultButton(whole);
  const PartId owner = use->part;
  box.exec();
  if (box.clickedButton() == whole) return {owner};
  if (box.clickedButton() == alone) return parts;
  return {};
}

void JobFiles::send_out(const std::vector<PartId>& parts, const QString& suggestion) {
  session_.when_ready(parts, [this, suggestion](const std::vector<OutgoingPart>& ready) { write(ready, suggestion); }, true);
}

void JobFiles::write(const std::vector<OutgoingPart>& parts, const QString& suggestion) {
  for (const OutgoingPart& part : parts)
    if (!part.result.evaluated)
      return session_.complain({"has no result that could be written", session_.job().at(part.id).name, {}, "look at its recipe"}, part.id);
  // Where the newest request could not be answered at all, for want of memory, what there is is of another version of the recipe.
  for (const OutgoingPart& part : parts)
    if (part.result.issue) {
      Issue issue = session_.named(part.id, *part.result.issue);
      return session_.complain({"has no result as its recipe is now, and what is shown is older: " + issue.what, session_.job().at(part.id).name, {},
                                issue.remedy.empty() ? "undo the last change, or make it again" : issue.remedy},
                               part.id, {}, Session::Complaint::stays);
    }
  if (parts.empty()) return;
  const auto is_cloud = [](const OutgoingPart& part) { return part.result.evaluated->mesh->cloud; };
  const auto cloud = std::find_if(parts.begin(), parts.end(), is_cloud);
  const bool all_points = std::all_of(parts.begin(), parts.end(), is_cloud);
  if (cloud != parts.end() && !all_points)
    return session_.complain({"is a cloud of points, and the other parts have faces", session_.job().at(cloud->id).name, {}, "recast it, hide it, or export it alone"}, cloud->id);
  if (!all_points && std::all_of(parts.begin(), parts.end(), [](const OutgoingPart& part) { return part.result.evaluated->mesh->empty(); })) {
    const OperationReport* last = parts[0].result.evaluated->last_report();
    const std::string why = last != nullptr && !last->empty_reason.empty() ? session_.named(parts[0].id, last->empty_reason).toStdString() : "there are no faces";
    return session_.complain({"has nothing to write: " + why, session_.job().at(parts[0].id).name, {}, "change its recipe"}, parts[0].id);
  }
  switch (all_points ? Unsound::export_anyway : ask_unsound(parts)) {
    case Unsound::leave: return;
    case Unsound::mend_first: {
      std::vector<PartId> ids;
      for (const OutgoingPart& part : parts) ids.push_back(part.id);
      if (session_.mend_all(mendable(parts))) send_out(ids, suggestion);
      return;
    }
    case Unsound::export_anyway: break;
  }
  const QString ending = all_points ? QStringLiteral(".ply") : QStringLiteral(".stl");
  QStringList names;
  for (const OutgoingPart& part : parts) names << QString::fromStdString(session_.job().at(part.id).name);
  auto chosen = ask_export(window_, {folder_, suggestion, ending, tr(all_points ? point_filter : mesh_filter), names});
  if (!chosen) return;
  folder_ = QFileInfo(chosen->path).path();
  session_.send_out(parts, chosen->path.toStdString(), chosen->settings);
}

void JobFiles::offer_recovery() {
  for (const auto& leftover : Autosave::leftovers()) {
    const QString name =
        leftover.original.empty() ? tr("an unsaved job") : QString::fromStdString(leftover.original.filename().string());
    QMessageBox box(QMessageBox::NoIcon, tr("Clean Anvil"),
                    tr("Clean Anvil ended unexpectedly while %1 had unsaved changes.\nThe copy is of %2. Bring the work back?")
                        .arg(name, QLocale().toString(leftover.written, QLocale::LongFormat)),
                    QMessageBox::NoButton, window_);
    box.setObjectName(QStringLiteral("recovery"));
    if (!leftover.picture.isNull()) box.setIconPixmap(QPixmap::fromImage(leftover.picture));
    auto* bring_back = box.addButton(tr("Bring it back"), QMessageBox::AcceptRole);
    auto* drop = box.addButton(tr("Delete the copy"), QMessageBox::DestructiveRole);
    box.addButton(tr("Ask again next time"), QMessageBox::RejectRole);
    box.setDefaultButton(bring_back);
    box.exec();
    if (box.clickedButton() == bring_back) {
      if (auto job = load_job(leftover.copy); job) {
        session_.take_over(std::move(*job), leftover.original);
        autosave_.take_over(leftover);
      } else {
        session_.complain(job.issue());
      }
      return;
    }
    if (box.clickedButton() == drop) Autosave::remove(leftover);
  }
}

}  // namespace anvil::app
