// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/still.h"

#include <QElapsedTimer>
#include <QOpenGLContext>
#include <QOpenGLExtraFunctions>

namespace anvil::app {

void StillPicture::begin(const QByteArray& key, const QSize& size, int samples, Renderer::Steps steps) {
  if (!fbo_ || fbo_->size() != size) {
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::Depth);
    format.setSamples(samples);
    fbo_ = std::make_unique<QOpenGLFramebufferObject>(size, format);
    plain_ = std::make_unique<QOpenGLFramebufferObject>(size);
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
  QOpenGLFramebufferObject::blitFramebuffer(plain_.get(), fbo_.get());
  return true;
}

void StillPicture::show(GLuint target) {
  QOpenGLExtraFunctions* gl = QOpenGLContext::currentContext()->extraFunctions();
  const int width = plain_->width(), height = plain_->height();
  gl->glBindFramebuffer(GL_READ_FRAMEBUFFER, plain_->handle());
  gl->glBindFramebuffer(GL_DRAW_FRAMEBUFFER, target);
  gl->glBlitFramebuffer(0, 0, width, height, 0, 0, width, height, GL_COLOR_BUFFER_BIT, GL_NEAREST);
  gl->glBindFramebuffer(GL_FRAMEBUFFER, target);
}

void StillPicture::forget() {
  fbo_.reset();
  plain_.reset();
  steps_.clear();
  next_ = 0;
}

}  // namespace anvil::app
