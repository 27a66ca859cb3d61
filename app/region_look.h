// SPDX-License-Identifier: GPL-3.0-or-later
// A look at the regions of the part whose recipe is shown: each in a colour of its own, with its number. Made beside the window.
#pragma once

#include <QObject>
#include <memory>
#include <vector>

#include "core/mesh/regions.h"
#include "job/evaluated.h"
#include "job/step.h"

namespace anvil::app {

class Session;

class RegionLook : public QObject {
  Q_OBJECT

 public:
  explicit RegionLook(Session& session);

  bool on() const { return on_; }
  void set_on(bool on);
  /// The part with its faces numbered; null while that is not made or not wanted.
  std::shared_ptr<const Drawable> drawable(PartId part) const;
  /// Its regions, while they are shown.
  const std::vector<Region>& regions(PartId part) const;

 signals:
  void changed();

 private:
  bool is_there(PartId part) const;
  void make();

  Session& session_;
  bool on_ = false;
  EvaluatedPtr of_;
  struct Made {
    std::shared_ptr<const Drawable> drawable;  ///< null while it is being made
    std::vector<Region> regions;
  } made_;
};

}  // namespace anvil::app
