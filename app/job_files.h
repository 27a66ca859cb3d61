// SPDX-License-Identifier: GPL-3.0-or-later
// The questions around files: which job to open, where to save, what a file's unit is, whether to export what is not sound.
#pragma once

#include <QObject>
#include <QPointer>
#include <QTimer>
#include <QStringList>
#include <functional>

#include "app/session.h"

class QWidget;

namespace anvil::app {

class Autosave;

class JobFiles : public QObject {
  Q_OBJECT

 public:
  JobFiles(Session& session, Autosave& autosave, QWidget* window);

  void new_job();
  void open_job();
  /// @param finished  told whether it was saved; not when the user called it off
  void save_job(bool ask_name, std::function<void(bool)> finished = {});
  void bring_in();
  /// Asks for the unit anew, and gives chosen parts that were brought in without one their size in it.
  void change_unit();
  /// What is meant by some chosen parts: of a part and its tools the part, which holds what they do; of a tool alone it is asked whether the
  /// tool or the part that it works on. @return none when that was called off
  std::vector<PartId> ask_what_to_export(const std::vector<PartId>& chosen);
  void send_out(const std::vector<PartId>& parts, const QString& suggestion);
  /// Opens job files, brings in mesh files.
  void open_paths(const QStringList& paths);
  /// Offers what a crashed run left behind.
  void offer_recovery();

  /// Goes on when nothing unsaved is lost by it: at once, or once it was saved or given up.
  void when_discardable(std::function<void()> go_on);

  /// Goes on when no file waits to be written any more: at once, or once it is there, or was given up before. Where a file could not be
  /// written, or there is something to be told of it, it does not go on.
  void when_exports_are_done(std::function<void()> go_on);

  /// Job files opened or saved last, the newest first; kept from run to run.
  static QStringList recent();
  static constexpr int max_recent = 10;

  const QString& folder() const { return folder_; }
  void set_folder(const QString& folder) { folder_ = folder; }

 signals:
  void job_opened();
  /// The user wants to see the places of defects instead of exporting.
  void places_wanted();

 private:
  /// @param then  done once it is open, or was not
  void open_path(const QString& path, std::function<void()> then = {});
  void tell_damage(const std::filesystem::path& path, const QStringList& lost);
  void bring_in(const QStringList& files);
  /// @param longest  of the files, in their own unit: what each answer makes of it is told
  std::optional<Unit> ask_unit(double longest);
  enum class Unsound { export_anyway, mend_first, leave };
  Unsound ask_unsound(const std::vector<OutgoingPart>& parts);
  /// Those that are not sound and that no mend step has tried last.
  std::vector<PartId> mendable(const std::vector<OutgoingPart>& parts) const;
  void write(const std::vector<OutgoingPart>& parts, const QString& suggestion);

  Session& session_;
  Autosave& autosave_;
  QWidget* window_;
  QString folder_;
  QPointer<QTimer> leaving_;  ///< looks whether the exports are done for which leaving waits
};

}  // namespace anvil::app
