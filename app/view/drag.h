// SPDX-License-Identifier: GPL-3.0-or-later
// Moving, turning and scaling parts by hand: from pointer positions (or a typed number) to placements.
#pragma once

#include <QString>

#include "app/view/pick.h"

namespace anvil::app {

enum class HandleMode { move, turn, scale };

/// Something that the pointer moves, turns or scales: from pointer positions, or a typed number, to versions of the job.
class Drag {
 public:
  virtual ~Drag() = default;

  struct Input {
    const Camera& camera;
    QPointF pixel;
    QSizeF size;
    bool one_direction = false;  ///< Shift
    SnapSettings snap;
    double grid_step = 1;
  };
  /// The job where the pointer has brought it.
  virtual Job follow(const Input& input) = 0;
  /// The job for an exact amount: mm along the direction, degrees, or a factor; what cannot be had says why.
  virtual Result<Job> exact(double amount) = 0;
  /// "Moved 12.5 mm" for the bottom line.
  virtual QString text() const = 0;
  /// "move" for the undo list.
  virtual QString label() const = 0;
  /// Is there nothing that could move, as where all is locked?
  virtual bool idle() const = 0;
  /// The point that the drag caught on, while it does.
  const std::optional<Vec3>& caught() const { return caught_; }

 protected:
  std::optional<Vec3> caught_;
};

/// Parts, by their handles or their bodies.
class PartDrag : public Drag {
 public:
  /// @param axis  0, 1, 2 for a handle's direction; −1 for free dragging (move) or all axes (scale)
  /// @param grabbed  point under the pointer at the start, in the job's space
  PartDrag(const Session& session, std::vector<PartId> parts, HandleMode mode, int axis, const Vec3& pivot, const Vec3& grabbed);

  Job follow(const Input& input) override;
  Result<Job> exact(double amount) override;
  QString text() const override;
  QString label() const override;
  bool idle() const override { return parts_.empty(); }

 private:
  struct Moved {
    PartId id;
    Placement start;
    Affine world, frame;  // frame: what its placement is relative to
    Vec3 own_centre;      // centre of the bounds in mesh coordinates
  };
  Vec3 free_shift(const Input& input) const;
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
};

/// Direction of a handle in the job's space: the job's axes, or for scaling the part's own.
Vec3 handle_axis(const Session& session, PartId part, HandleMode mode, int axis);

}  // namespace anvil::app
