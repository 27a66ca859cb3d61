// SPDX-License-Identifier: GPL-3.0-or-later
// Results of recipes kept on disk from run to run, one file for each, by content: what has not changed is not computed again when
// a job is opened. A file that is not whole is taken for one that is not there.
#pragma once

#include <filesystem>
#include <mutex>
#include <optional>

#include "job/evaluated.h"
#include "job/content_key.h"

namespace anvil {

class ResultStore {
 public:
  /// @param folder  made where it is missing
  /// @param maker   stands for the program that computes: results of another one are not used, and go
  /// @param limit   bytes kept at most; those used longest ago go first
  ResultStore(std::filesystem::path folder, const std::string& maker, std::uintmax_t limit);

  struct Kept {
    Evaluated evaluated;  ///< without its drawable
    ReportPtr report;     ///< null where there was none
  };
  std::optional<Kept> load(const ContentKey& key) const;
  /// Problems of the disk are no problem here: then it is not kept.
  void save(const ContentKey& key, const Evaluated& evaluated, const ReportPtr& report);
  bool has(const ContentKey& key) const;

  std::uintmax_t bytes() const;
  void clear();

 private:
  std::filesystem::path file_of(const ContentKey& key) const;
  void trim();

  std::filesystem::path folder_;
  std::uintmax_t limit_;
  std::mutex changing_;  // files are written, counted and removed by one thread at a time
};

/// Bytes of a result and back; nothing when they are not whole. Exposed for the tests.
std::string result_to_bytes(const Evaluated& evaluated, const ReportPtr& report);
std::optional<ResultStore::Kept> result_from_bytes(std::string_view bytes);

}  // namespace anvil
