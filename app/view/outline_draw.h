// SPDX-License-Identifier: GPL-3.0-or-later
// An outline that is being drawn: in the plane across the line of sight through where it began, or on the face or the ground there.
#pragma once

#include <QPainter>
#include <functional>
#include <optional>

#include "app/view/camera.h"
#include "app/view/pick.h"
#include "core/mesh/planar_region.h"

namespace anvil::app {

/// What is drawn: a line parts the view, the others enclose something of it.
enum class DrawKind { line, rectangle, circle, polygon, free };
enum class DrawPlane {
  sight,   ///< across the line of sight
  surface  ///< of the face where it begins, or the ground; its coordinates count from there where the job's origin lies above it
};

struct DrawnOutline {
  DrawKind kind = DrawKind::polygon;
  PlaneFrame frame;   ///< in the job's space; its normal towards the eye, u to the right, v upwards
  double eye = 0;     ///< how far in front of the plane the eye is; 0: parallel
  Outline outline;    ///< of a line its two points, and a third one on the side that goes; empty where none was drawn, and that is all right
};

class OutlineDraw {
 public:
  using Answer = std::function<void(const DrawnOutline&)>;
  OutlineDraw(DrawKind kind, DrawPlane plane, Answer answer) : kind_(kind), plane_(plane), answer_(std::move(answer)) {}

  /// What the pointer means: where it is, in which picture.
  struct At {
    const Camera& camera;
    QPointF pixel;            ///< within the picture
    QSizeF size;
    std::optional<Vec3> under;   ///< the point of a part under the pointer
    Vec3 normal = Vec3::UnitZ();  ///< of the face there, outwards
    std::optional<Vec3> caught;  ///< what it catches on
    double grid = 0;             ///< step to round to; 0: none
    bool even = false;           ///< Shift: a square, or level and upright pieces only
  };
  /// @return is it finished?
  bool press(const At& at);
  void move(const At& at);
  bool release(const At& at);
  /// A typed size ("40x20", "12"), Return, Backspace. @return is it finished?
  bool take_size(const std::string& typed);
  bool finish();
  void take_back();
  /// The last piece of a polygon becomes an arc, as far as the pointer or a typed number says; the next press holds it.
  void bow();

  bool begun() const { return frame_.has_value(); }
  void answer() const { answer_(drawn_); }
  /// @param to_pixel  where a point of the job's space stands in the picture
  void paint(QPainter& painter, const std::function<bool(const Vec3&, QPointF&)>& to_pixel) const;
  QString prompt() const;

 private:
  Vec2 in_plane(const At& at) const;
  void begin(const At& at);
  Outline outline() const;
  bool complete();
  /// How far a point is off the chord of the last piece, to the right of the way.
  double off_last_piece(const Vec2& p) const;

  DrawKind kind_;
  DrawPlane plane_;
  Answer answer_;
  std::optional<PlaneFrame> frame_;
  double eye_ = 0;
  std::vector<Vec2> points_;
  std::vector<double> rises_;  // of the piece that begins at each point
  bool bowing_ = false;
  Vec2 now_ = Vec2::Zero();
  double reach_ = 100;  // of the picture, mm
  DrawnOutline drawn_;
};

}  // namespace anvil::app
