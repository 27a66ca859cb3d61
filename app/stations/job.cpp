// SPDX-License-Identifier: GPL-3.0-or-later
// The job as a whole, in every station.
#include "app/job_files.h"
#include "app/main_window.h"
#include "app/stations/desk.h"

namespace anvil::app {

void add_job_verbs(Desk& desk) {
  JobFiles& files = desk.files;
  auto add = [&](const char* id, const QString& label, const char* icon, const char* shortcut, const QString& help, std::function<void()> run) {
    desk.book.add(Station::anywhere, QObject::tr("Job"), QLatin1String(id), label, QLatin1String(icon), {key(shortcut)}, help, std::move(run));
  };
  add("new_job", QObject::tr("New job"), "new", "Ctrl+N", QObject::tr("Start with an empty job."), [&files] { files.new_job(); });
  add("open_job", QObject::tr("Open job"), "open", "Ctrl+O", QObject::tr("Open a job file (.anvil)."), [&files] { files.open_job(); });
  add("save_job", QObject::tr("Save job"), "save", "Ctrl+S", QObject::tr("Save the job."), [&files] { files.save_job(false); });
  add("save_job_as", QObject::tr("Save job as"), "save", "Ctrl+Shift+S", QObject::tr("Save the job under another name."),
      [&files] { files.save_job(true); });
  add("quit", QObject::tr("Quit"), "", "Ctrl+Q", QObject::tr("Leave Clean Anvil."), [&window = desk.window] { window.close(); });
}

}  // namespace anvil::app
