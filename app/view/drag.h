// SPDX-License-Identifier: GPL-3.0-or-later
// Moving, turning and scaling parts by hand: from pointer positions (or a typed number) to placements.
#pragma once

#include <QString>

#include "app/session.h"
#include "app/view/camera.h"

namespace anvil::app {

enum class HandleMode { move, turn, scale };

/// Something that a ray may hit.
struct Target {
  PartId part;
  EvaluatedPtr evaluated;
  Affine world;
};
/// The parts as they are shown now; those without a result yet are left out.
std::vector<Target> targets(const Session& session, const std::vector<PartId>& parts);

struct Picked {
  Target target;
  Index triangle;
  double distance;
  Vec3 point;
};
/// The nearest hit of the ray, if any.
std::optional<Picked> pick(const std::vector<Target>& among, const Ray& ray);

/// What a drag may catch on.
struct SnapSettings {
  bool on = false;
  bool grid = true, vertices = true, edge_middles = true, faces = true;
};

class Drag {
 public:
  /// @param axis  0, 1, 2 for a handle's direction; −1 for free dragging (move) or all axes (scale)
  /// @param grabbed  point under the pointer at the start, in the job's space
  Drag(const Session& session, std::vector<PartId> parts, HandleMode mode, int axis, const Vec3& pivot,
       const Vec3& grabbed);

  struct Input {
    const Camera& camera;
    QPointF pixel;
    QSizeF size;
    bool one_direction = false;  ///< Shift
    SnapSettings snap;
    double grid_step = 1;
  };
  /// The job with the parts where the pointer has brought them.
  Job follow(const Input& input);
  /// The job for an exact amount: mm along the direction, degrees, or a factor.
  Job exact(double amount);

  /// "Move 12.5 mm" for the bottom line and the undo list.
  QString text() const;
  QString label() const;
  HandleMode mode() const { return mode_; }
  /// The point that the drag caught on, while it does.
  const std::optional<Vec3>& caught() const { return caught_; }

 private:
  struct Moved {
    PartId id;
    Placement start;
    Affine world, frame;  // frame: what its placement is relative to
    Vec3 own_centre;      // centre of the bounds in mesh coordinates
  };
  Vec3 free_shift(const Input& input) const;
  std::optional<Vec3> find_catch(const Input& input) const;
  Job moved_by(const Vec3& shift);
  Job turned_by(double degrees);
  Job scaled_by(double factor);

  const Session& session_;
  JobPtr start_;
  std::vector<Moved> parts_;
  std::vector<Target> catchable_;  ///< as they were at the start, so that a cut that follows cannot be caught
  HandleMode mode_;
  int axis_;
  Vec3 pivot_, grabbed_;
  Vec3 shift_ = Vec3::Zero();
  double amount_ = 0;
  std::optional<double> start_value_;
  std::optional<Vec3> caught_;
};

/// Direction of a handle in the job's space: the job's axes, or for scaling the part's own.
Vec3 handle_axis(const Session& session, PartId part, HandleMode mode, int axis);

}  // namespace anvil::app
