// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/still.h"

#include <QElapsedTimer>
#include <QOpenGLContext>
#include <QOpenGLFunctions>

namespace anvil::app {

void StillPicture::begin(const QByteArray& key, const QSize& size, int samples, Renderer::Steps steps) {
  if (!fbo_ || fbo_->size() != size) {
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::Depth);
    format.setSamples(samples);
    fbo_ = std::make_unique<QOpenGLFramebufferObject>(size, format);
  }
  key_ = key;
  steps_ = std::move(steps);
  next_ = 0;
}

bool StillPicture::advance(int milliseconds) {
  if (!fbo_ || finished()) return false;
  QElapsedTimer clock;
  clock.start();
  QOpenGLFunctions* gl = QOpenGLContext::currentContext()->functions();
  fbo_->bind();
  while (!finished() && clock.elapsed() < milliseconds) {
    steps_[next_++]();
    gl->glFinish();  // else a software renderer puts the work off to the end
  }
  fbo_->release();
  if (!finished()) return false;
  image_ = Renderer::image_of(*fbo_);
  return true;
}

void StillPicture::forget() {
  fbo_.reset();
  image_ = {};
  steps_.clear();
  next_ = 0;
}

}  // namespace anvil::app
