// SPDX-License-Identifier: GPL-3.0-or-later
// Keeps a copy of unsaved work, and finds the copy that a crashed run left behind.
#pragma once

#include <QDateTime>
#include <QImage>
#include <QTimer>
#include <functional>
#include <future>
#include <optional>

#include "app/session.h"
#include "job/file/file_lock.h"

namespace anvil::app {

class Autosave : public QObject {
  Q_OBJECT

 public:
  /// @param seconds  how long after a change the copy is written
  Autosave(Session& session, int seconds, QObject* parent = nullptr);
  ~Autosave() override;
  /// What shows the work beside its copy, so that people know it again.
  void set_picture(std::function<QImage()> picture) { picture_ = std::move(picture); }
  /// Removes this run's copy: the work is saved or was given up on purpose.
  void discard();
  /// Where it is, or will be.
  const std::filesystem::path& copy() const { return copy_; }

  struct Leftover {
    std::filesystem::path copy;      ///< the recovered job file
    std::filesystem::path original;  ///< where it had been saved; may be empty
    QDateTime written;               ///< when the copy was
    QImage picture;                  ///< of the view then; null where there is none
  };
  /// Copies whose program no longer runs, newest first.
  static std::vector<Leftover> leftovers();
  /// Keeps another process's copy until there is one of our own, and then removes it.
  void take_over(const Leftover& leftover);
  static void remove(const Leftover& leftover);

 signals:
  void written(bool good);

 private:
  /// Makes the folder, and the lock by which others see that the copy is in use.
  void hold_copy();
  void write();
  void finish(bool good);

  Session& session_;
  std::function<QImage()> picture_;
  std::future<void> write_;
  QTimer timer_;
  std::filesystem::path copy_;
  std::optional<FileLock> lock_;  ///< held while this runs, so that no other takes the copy for one that is left
  std::vector<Leftover> taken_over_;
  bool writing_ = false;
  bool unwanted_ = false;  // discarded since it was last written
};

}  // namespace anvil::app
