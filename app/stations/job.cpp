// SPDX-License-Identifier: GPL-3.0-or-later
// The job as a whole, in every station.
#include <QSettings>
#include <QStandardPaths>

#include "app/job_files.h"
#include "app/main_window.h"
#include "app/stations/desk.h"

namespace anvil::app {

void keep_results(Session& session, bool keep) {
  QSettings().setValue(QStringLiteral("keep_results"), keep);
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation) + QStringLiteral("/results");
  session.keep_results_in(keep ? std::filesystem::path(folder.toStdString()) : std::filesystem::path());
}

void add_job_verbs(Desk& desk) {
  JobFiles& files = desk.files;
  auto add = [&](const char* id, const QString& label, const char* icon, const char* shortcut, const QString& help, std::function<void()> run) {
    return desk.book.add(Station::anywhere, QObject::tr("Job"), QLatin1String(id), label, QLatin1String(icon), {key(shortcut)}, help, std::move(run));
  };
  add("new_job", QObject::tr("New job"), "new", "Ctrl+N", QObject::tr("Start with an empty job."), [&files] { files.new_job(); });
  add("open_job", QObject::tr("Open job"), "open", "Ctrl+O", QObject::tr("Open a job file (.anvil)."), [&files] { files.open_job(); });
  add("save_job", QObject::tr("Save job"), "save", "Ctrl+S", QObject::tr("Save the job."), [&files] { files.save_job(false); });
  add("save_job_as", QObject::tr("Save job as"), "save", "Ctrl+Shift+S", QObject::tr("Save the job under another name."),
      [&files] { files.save_job(true); });
  add("change_unit", QObject::tr("Unit of files"), "", "Ctrl+Shift+F8", QObject::tr("Choose the unit of files that do not say theirs; chosen parts from such files get their size in it."),
      [&files] { files.change_unit(); });
  Session& session = desk.session;
  desk.book.check(add("keep_results", QObject::tr("Keep results on disk"), "", "Ctrl+F9", QObject::tr("What took a while to compute is there again when a job is opened; at most 1 GB."),
                      [&session] { keep_results(session, !session.keeps_results()); }),
                  [&session] { return session.keeps_results(); });
  desk.book.allow(add("empty_results", QObject::tr("Empty kept results"), "", "Ctrl+F10", QObject::tr("Delete the results that are kept on disk; they are computed again when asked for."),
                      [&session] { session.say(QObject::tr("%1 MB of kept results deleted").arg(static_cast<double>(session.empty_kept_results()) / 1e6, 0, 'f', 1)); }),
                  [&session] { return session.keeps_results(); });
  add("quit", QObject::tr("Quit"), "", "Ctrl+Q", QObject::tr("Leave Clean Anvil."), [&window = desk.window] { window.close(); });
}

}  // namespace anvil::app
