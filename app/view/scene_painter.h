// SPDX-License-Identifier: GPL-3.0-or-later
// Makes the picture of the scene off the screen, as an image that an ordinary widget paints. On a software renderer, as
// in virtual machines and over remote desktops, that is several times faster than to compose the whole window with
// OpenGL (docs/decisions/picture-off-screen.md).
#pragma once

#include <QImage>
#include <QOffscreenSurface>
#include <QOpenGLContext>

#include "app/view/camera_rig.h"
#include "app/view/renderer.h"
#include "app/view/still.h"

namespace anvil::app {

class ScenePainter {
 public:
  ScenePainter() = default;
  ~ScenePainter();
  ScenePainter(const ScenePainter&) = delete;
  ScenePainter& operator=(const ScenePainter&) = delete;

  /// False when OpenGL 3.3 is not to be had.
  bool initialise();

  /// The picture, made anew only when something in it has changed. Of heavy parts a lighter one, until advance() has made
  /// the full one.
  /// @param size   of the widget
  /// @param alive  the drawables of all parts, seen or not: the buffers of others are freed
  const QImage& paint(const CameraRig& rig, const std::vector<DrawItem>& items, const Box3& scene, const FrameStyle& style,
                      const QSize& size, const std::vector<const Drawable*>& alive);
  /// Is there a full picture of heavy parts still to be made?
  bool unfinished() const { return !still_.finished(); }
  /// Goes on making it for about `milliseconds`. @return true when that finished it
  bool advance(int milliseconds);
  const Renderer& renderer() const { return renderer_; }

 private:
  QRect pixels_of(const CameraRig& rig, std::size_t picture, const QSize& size, double scale) const;

  std::unique_ptr<QOffscreenSurface> surface_;
  std::unique_ptr<QOpenGLContext> context_;
  Renderer renderer_;
  int samples_ = 0;  ///< of a picture at rest, each pixel; as the settings have it
  StillPicture still_;
  QImage image_;
  QByteArray shown_;  // what the image is of
  std::vector<std::shared_ptr<const Drawable>> held_;  // so that no address in it is used again
};

}  // namespace anvil::app
