// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/autosave.h"

#include <QBuffer>
#include <QFileInfo>
#include <QStandardPaths>
#include <fstream>
#include <random>
#include <system_error>
#include <utility>

#include <fmt/format.h>

#include "core/io/bytes.h"
#include "job/job_file.h"

namespace anvil::app {
namespace {

namespace fs = std::filesystem;

fs::path folder() {
  return fs::path(QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation).toStdString()) /
         "recovery";
}

constexpr int picture_width = 320;

/// Copies have names that nobody else has: "3f09….anvil", with "3f09….from" and "3f09….png" beside it, and "3f09….lock", which is held
/// while the program runs that writes them.
fs::path new_copy() {
  std::random_device random;
  return folder() / fmt::format("{:08x}{:08x}.anvil", random(), random());
}

fs::path lock_beside(const fs::path& copy) {
  return fs::path(copy).replace_extension(".lock");
}

bool still_running(const fs::path& copy) { return fs::exists(lock_beside(copy)) && !FileLock::take(lock_beside(copy)); }

fs::path note_beside(const fs::path& copy) {
  return fs::path(copy).replace_extension(".from");
}

fs::path picture_beside(const fs::path& copy) {
  return fs::path(copy).replace_extension(".png");
}

}  // namespace

Autosave::Autosave(Session& session, int seconds, QObject* parent) : QObject(parent), session_(session) {
  copy_ = new_copy();
  hold_copy();
  timer_.setSingleShot(true);
  timer_.setInterval(seconds * 1000);
  connect(&timer_, &QTimer::timeout, this, &Autosave::write);
  connect(&session_, &Session::job_changed, this, [this](bool live) {
    if (session_.history().saved()) return discard();
    if (!live && !timer_.isActive()) timer_.start();
  });
}

void Autosave::hold_copy() {
  std::error_code error;
  fs::create_directories(folder(), error);
  lock_.reset();
  lock_ = FileLock::take(lock_beside(copy_));
}

void Autosave::take_over(const Leftover& leftover) {
  // The copy that the work came from goes only when there is one of our own.
  taken_over_.push_back(leftover);
  write();
}

void Autosave::write() {
  if (session_.history().saved()) return;
  timer_.stop();
  if (writing_) return timer_.start();
  // Somebody may have emptied the folder.
  if (std::error_code error; !fs::exists(lock_beside(copy_), error)) hold_copy();
  writing_ = true;
  unwanted_ = false;
  // A thread of its own: a pool whose thread could not be made, for want of memory, would be waited for without end.
  try {
    const QImage picture = picture_ ? picture_() : QImage();
    write_ = std::async(std::launch::async, [this, job = session_.history().committed(), copy = copy_, original = session_.path(), picture] {
      const bool good = save_job(*job, copy) && write_bytes(note_beside(copy), original.string());
      // The work is safe without its picture.
      if (good && !picture.isNull()) {
        QByteArray png;
        QBuffer buffer(&png);
        picture.scaledToWidth(picture_width, Qt::SmoothTransformation).save(&buffer, "PNG");
        (void)write_bytes(picture_beside(copy), {png.constData(), static_cast<std::size_t>(png.size())});
      }
      QMetaObject::invokeMethod(
          this, [this, good] { finish(good); }, Qt::QueuedConnection);
    });
  } catch (const std::system_error&) {
    finish(false);
  }
}

void Autosave::finish(bool good) {
  writing_ = false;
  if (good)
    for (const Leftover& old : std::exchange(taken_over_, {})) remove(old);
  if (!good) session_.say(tr("The safety copy could not be written; save the job yourself"));
  if (session_.history().saved()) discard();
  emit written(good);
}

Autosave::~Autosave() {
  // One that was still being written when it was discarded goes as well.
  write_ = {};
  if (unwanted_) remove({copy_, {}, {}, {}});
}

void Autosave::discard() {
  timer_.stop();
  unwanted_ = true;
  remove({copy_, {}, {}, {}});
}

std::vector<Autosave::Leftover> Autosave::leftovers() {
  std::vector<Leftover> found;
  std::error_code error;
  for (const auto& entry : fs::directory_iterator(folder(), error)) {
    if (entry.path().extension() != ".anvil" || still_running(entry.path())) continue;
    std::string original;
    std::getline(std::ifstream(note_beside(entry.path())), original);
    const auto in_qt = [](const fs::path& path) { return QString::fromStdString(path.string()); };
    found.push_back({entry.path(), original, QFileInfo(in_qt(entry.path())).lastModified(), QImage(in_qt(picture_beside(entry.path())))});
  }
  std::sort(found.begin(), found.end(), [](const Leftover& a, const Leftover& b) { return a.written > b.written; });
  return found;
}

void Autosave::remove(const Leftover& leftover) {
  std::error_code error;
  fs::remove(leftover.copy, error);
  fs::remove(note_beside(leftover.copy), error);
  fs::remove(picture_beside(leftover.copy), error);
}

}  // namespace anvil::app
