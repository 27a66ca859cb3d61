// SPDX-License-Identifier: GPL-3.0-or-later
// What the user looks for in the part whose recipe is shown, instead of everything: families, a tolerance, only some faces.
// Its report stands in the rail and in the view in place of the whole one. The verdict never depends on it.
#pragma once

#include <QObject>
#include <string>
#include <vector>

#include "core/soundness/report.h"
#include "job/recipe_runner.h"

namespace anvil::app {

class Session;

class Finding : public QObject {
  Q_OBJECT

 public:
  struct Wanted {
    std::vector<const Family*> families;
    double tolerance = 0;  ///< of the part's own mesh; 0: a millionth of its size
    std::string only;      ///< elements at which it is looked, as find_again() reads them; empty: the whole part
  };

  explicit Finding(Session& session);

  /// Every family that the rail lists by itself, within the usual tolerance, in the whole part.
  static Wanted everything();
  Wanted wanted() const { return narrowed_ ? wanted_ : everything(); }
  /// Is anything else looked for than everything?
  bool narrowed() const { return narrowed_; }
  void look(Wanted wanted);
  void look_for_everything();

  /// What stands in the rail for a part: what was looked for, the whole report until that is there, or null.
  ReportPtr report(PartId part) const;
  /// Is the report that of what was looked for?
  bool is_there(PartId part) const;
  bool lists(const Family& family) const;

 signals:
  void changed();

 private:
  void follow();

  Session& session_;
  bool narrowed_ = false;
  PartId part_ = 0;
  Wanted wanted_;
  EvaluatedPtr of_;
  std::uint64_t turn_ = 0;  // counts what was asked for
  ReportPtr report_;        // null while it is being made
};

}  // namespace anvil::app
