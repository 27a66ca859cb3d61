// SPDX-License-Identifier: GPL-3.0-or-later
// A still picture of heavy meshes, drawn a little at a time so that the window never waits for it.
#pragma once

#include <QByteArray>
#include <QOpenGLFramebufferObject>
#include <memory>

#include "app/view/renderer.h"

namespace anvil::app {

class StillPicture {
 public:
  /// Is this the picture of what the key stands for, finished or not?
  bool is_of(const QByteArray& key) const { return fbo_ && key == key_; }
  bool finished() const { return next_ == steps_.size(); }
  /// Begins anew. To be called, as all that follows, with a current context.
  void begin(const QByteArray& key, const QSize& size, int samples, Renderer::Steps steps);
  /// Draws on for about `milliseconds`. @return true when that finished it
  bool advance(int milliseconds);
  /// The finished picture.
  QImage image() const { return image_; }
  void forget();

 private:
  QByteArray key_;
  std::unique_ptr<QOpenGLFramebufferObject> fbo_;
  QImage image_;
  Renderer::Steps steps_;  // kept when done: they keep the meshes alive whose addresses are in the key
  std::size_t next_ = 0;
};

}  // namespace anvil::app
