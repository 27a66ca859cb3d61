// SPDX-License-Identifier: GPL-3.0-or-later
// Vertices, edges and faces chosen of the part whose recipe is shown, and how they are being chosen. The choice follows the
// part: when its result changes, the elements are found again, and what is gone is let go.
#pragma once

#include <QObject>
#include <QString>
#include <QThreadPool>
#include <future>
#include <memory>
#include <optional>

#include "core/fields.h"
#include "core/modify/choose.h"
#include "job/recipe_runner.h"

namespace anvil::app {

class Session;

class Chooser : public QObject {
  Q_OBJECT

 public:
  /// What the left button does in the view while elements are chosen.
  enum class Way { click, box, paint, lasso };
  enum class Change { replace, add, take_away };
  static constexpr double brush_pixels = 14;  ///< radius

  explicit Chooser(Session& session);

  /// Are elements chosen, rather than parts?
  bool on() const { return on_; }
  /// Begins to choose elements of this kind; what is chosen already turns into it.
  void start(ElementKind kind);
  void stop();
  Way way() const { return way_; }
  void set_way(Way way);
  /// Elements that are hidden behind others are chosen too.
  bool through() const { return through_; }
  void set_through(bool through);

  /// The part, its result and its adjacency; null when it has no result yet.
  PartId part() const;
  EvaluatedPtr evaluated() const { return evaluated_; }
  const Topology* topology();
  /// The same, to be looked at for longer than it is the newest.
  std::shared_ptr<const Topology> held_topology() { return topology() == nullptr ? nullptr : topology_; }
  const Elements& chosen() const { return chosen_; }
  /// Can a field of elements be filled with the choice, as it is or turned into what fits?
  bool fits(const Field& field);
  /// How many of a kind there would be if the choice were turned into it.
  std::size_t count_as(ElementKind kind);

  void choose(std::vector<Index> elements, Change change);
  void choose(Elements elements);
  void clear() { choose({}, Change::replace); }
  /// Chooses what a function of the mesh gives.
  void choose_by(const std::function<Elements(const Mesh&, const Topology&, const Elements&)>& way);
  /// The choice as a step keeps it, and the other way round. @return how many were not found; nothing when it cannot be read
  std::string text();
  /// The choice turned into another kind, as a step keeps it.
  std::string text_as(ElementKind kind);
  std::optional<std::size_t> choose_text(const std::string& text);

  /// What is chosen, drawn over the part: faces as triangles, edges as fresh edges. Null when nothing is.
  std::shared_ptr<const Drawable> drawable();
  /// All edges of the part, also those between coplanar faces. Null for a mesh with too many.
  std::shared_ptr<const Drawable> wires();

 signals:
  void changed();

 private:
  void follow();
  void prepare_topology();
  void forget_drawing();

  Session& session_;
  bool on_ = false, through_ = false;
  Way way_ = Way::click;
  EvaluatedPtr evaluated_;
  PartId of_ = 0;
  std::shared_ptr<const Topology> topology_;
  std::future<std::shared_ptr<const Topology>> coming_;  ///< is being made beside the window, before it is asked for
  std::shared_ptr<const Mesh> coming_of_;
  Elements chosen_;
  std::shared_ptr<const Drawable> drawable_, wires_;
  std::array<std::optional<std::size_t>, 3> counts_;  // of count_as()
  QThreadPool making_;  // last: what it makes must end first
};

}  // namespace anvil::app
