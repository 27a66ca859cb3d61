// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/view/renderer.h"

#include <QOpenGLFunctions>
#include <algorithm>
#include <cmath>

#include "app/release_async.h"
#include "app/theme.h"

namespace anvil::app {
namespace {

constexpr const char* backdrop_vertex = R"(#version 330 core
out float height;
void main() {
  vec2 p = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
  height = 0.5 + 0.5 * p.y;
  gl_Position = vec4(p, 0.0, 1.0);
})";
constexpr const char* backdrop_fragment = R"(#version 330 core
in float height;
uniform vec3 top, bottom;
out vec4 colour;
void main() { colour = vec4(mix(bottom, top, clamp(height, 0.0, 1.0)), 1.0); })";

constexpr const char* mesh_vertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in float deviation;
uniform mat4 view_from_model, clip_from_view;
out vec3 seen;
out float off;
void main() {
  off = deviation;
  vec4 p = view_from_model * vec4(position, 1.0);
  seen = p.xyz;
  gl_Position = clip_from_view * p;
})";
// Flat shading from screen-space derivatives: no normals to store, every facet shows as it is. The side of
// a face that looks inwards is brown, so that holes and turned faces are seen at once.
constexpr const char* mesh_fragment = R"(#version 330 core
in vec3 seen;
in float off;
uniform vec3 base, up;
uniform vec3 near_colour, middle_colour, far_colour;  // of the deviation map
uniform float alpha, largest;                         // largest deviation; 0: no map
uniform int by_region;                                // the deviation is the number of a region
uniform vec4 kept;                                    // middle and radius of what is drawn; radius 0: all
out vec4 colour;
// Hues as far from those before as can be: by the golden section around the circle.
vec3 colour_of_region(float number) {
  if (number < 0.5) return vec3(0.80, 0.78, 0.74);
  float k = floor(number + 0.5);
  vec3 hue = clamp(abs(mod(6.0 * fract(0.13 + 0.61803399 * k) + vec3(0.0, 4.0, 2.0), 6.0) - 3.0) - 1.0, 0.0, 1.0);
  return (0.95 - 0.10 * mod(k, 3.0)) * mix(vec3(1.0), hue, 0.42);
}
void main() {
  if (kept.w > 0.0 && distance(seen, kept.xyz) > kept.w) discard;
  vec3 n = normalize(cross(dFdx(seen), dFdy(seen)));
  float key = max(dot(n, normalize(vec3(-0.35, 0.60, 0.72))), 0.0);
  float sky = 0.5 + 0.5 * dot(n, up);
  vec3 front = base;
  if (largest > 0.0) {
    float share = clamp(off / largest, 0.0, 1.0);
    front = share < 0.5 ? mix(near_colour, middle_colour, 2.0 * share) : mix(middle_colour, far_colour, 2.0 * share - 1.0);
  }
  if (by_region == 1) front = colour_of_region(off);
  vec3 body = gl_FrontFacing ? front : vec3(0.55, 0.42, 0.36);
  colour = vec4(body * (0.42 + 0.46 * key + 0.30 * sky), alpha);
})";

// A cloud: dots that leave little between them from near, and no smaller than can be seen from afar. Shaded as faces are; where it is not known to which side a point looks, it looks here.
constexpr const char* points_vertex = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec4 shade;
uniform mat4 view_from_model, clip_from_view;
uniform mat3 normal_in_view;
uniform vec3 base, up;
uniform vec4 kept;
uniform float alpha, size, smallest;  // of a point, in pixels at distance 1; pixels
uniform int two_sided;
flat out vec4 ink;
flat out float across;
void main() {
  vec3 seen = (view_from_model * vec4(position, 1.0)).xyz;
  gl_Position = clip_from_view * vec4(seen, 1.0);
  gl_PointSize = clamp(size / max(gl_Position.w, 1e-6), smallest, 24.0);
  if (kept.w > 0.0 && distance(seen, kept.xyz) > kept.w) gl_Position = vec4(2.0, 2.0, 2.0, 1.0);
  vec3 n = normalize(normal_in_view * shade.xyz);
  bool turned = dot(n, seen) > 0.0;
  if (turned) n = -n;
  float key = max(dot(n, normalize(vec3(-0.35, 0.60, 0.72))), 0.0);
  float sky = 0.5 + 0.5 * dot(n, up);
  vec3 body = turned && two_sided == 0 ? vec3(0.55, 0.42, 0.36) : base;
  ink = vec4(body * (0.42 + 0.46 * key + 0.30 * sky), alpha);
  across = gl_PointSize;
})";
// From near, each point is a disc with a rim of its own, so that points are not taken for a surface.
constexpr const char* points_fragment = R"(#version 330 core
flat in vec4 ink;
flat in float across;
out vec4 colour;
void main() {
  colour = ink;
  if (across < 3.5) return;
  float off = length(gl_PointCoord - vec2(0.5));
  if (off > 0.5) discard;
  colour.rgb *= 1.0 - 0.45 * smoothstep(0.28, 0.5, off);
})";

// One instance per edge, four vertices: a quad of constant width in pixels.
constexpr const char* edge_vertex = R"(#version 330 core
layout(location = 0) in vec3 a;
layout(location = 1) in vec3 b;
layout(location = 2) in vec3 normal_a;
layout(location = 3) in vec3 normal_b;
layout(location = 4) in float kind;
uniform mat4 view_from_model, clip_from_view;
uniform vec4 eye;       // in model space; w = 0 for a direction
uniform vec2 viewport;  // device pixels
uniform float width;
uniform vec2 depth_bias;      // towards the eye: a share of the distance, and a length
uniform int all;
flat out int along_x;
out vec3 seen;
void main() {
  seen = (view_from_model * vec4((gl_VertexID & 1) == 1 ? b : a, 1.0)).xyz;
  vec3 to_eye = eye.w > 0.0 ? eye.xyz - 0.5 * (a + b) : eye.xyz;
  bool outline = dot(normal_a, to_eye) * dot(normal_b, to_eye) <= 0.0;
  along_x = 1;
  if (all == 0 && kind < 0.5 && !outline) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); return; }
  // Lines lie on faces: drawn a pixel or so nearer to the eye they win against them, and nothing else.
  vec3 u = (view_from_model * vec4(a, 1.0)).xyz * (1.0 - depth_bias.x) + vec3(0.0, 0.0, depth_bias.y);
  vec3 v = (view_from_model * vec4(b, 1.0)).xyz * (1.0 - depth_bias.x) + vec3(0.0, 0.0, depth_bias.y);
  vec4 p = clip_from_view * vec4(u, 1.0), q = clip_from_view * vec4(v, 1.0);
  const float nearest = 1e-5;
  if (p.w < nearest && q.w < nearest) { gl_Position = vec4(2.0, 2.0, 2.0, 1.0); return; }
  if (p.w < nearest) p = mix(p, q, (nearest - p.w) / (q.w - p.w));
  if (q.w < nearest) q = mix(q, p, (nearest - q.w) / (p.w - q.w));
  vec2 s = p.xy / p.w * viewport, t = q.xy / q.w * viewport;
  vec2 d = t - s;
  d = dot(d, d) > 1e-12 ? normalize(d) : vec2(1.0, 0.0);
  along_x = abs(d.x) > abs(d.y) ? 1 : 0;
  vec4 at = (gl_VertexID & 1) == 1 ? q : p;
  float side = (gl_VertexID & 2) == 2 ? 1.0 : -1.0;
  float outwards = (gl_VertexID & 1) == 1 ? 0.5 : -0.5;
  at.xy += (vec2(-d.y, d.x) * side + d * outwards) * width / viewport * at.w;
  gl_Position = at;
})";
constexpr const char* edge_fragment = R"(#version 330 core
flat in int along_x;
in vec3 seen;
uniform vec4 ink;
uniform vec4 kept;
uniform float dash;
out vec4 colour;
void main() {
  if (kept.w > 0.0 && distance(seen, kept.xyz) > kept.w) discard;
  if (dash > 0.0 && mod(along_x == 1 ? gl_FragCoord.x : gl_FragCoord.y, 2.0 * dash) > 1.15 * dash) discard;
  colour = ink;
})";

constexpr std::size_t max_indices_per_step = 3 * 50'000, max_edges_per_step = 10'000, max_points_per_step = 60'000;
constexpr std::size_t max_edges_drawn = 400'000;  // more would stall a software renderer
constexpr std::size_t max_edges_moving = 20'000;   // more would hold up a picture that moves

QVector3D rgb(const QColor& c) {
  return {static_cast<float>(c.redF()), static_cast<float>(c.greenF()), static_cast<float>(c.blueF())};
}

QMatrix4x4 to_float(const Affine& m) {
  QMatrix4x4 result;
  for (int row = 0; row < 4; ++row)
    for (int column = 0; column < 4; ++column)
      result(row, column) = static_cast<float>(m.matrix()(row, column));
  return result;
}

/// The ball that is drawn, as the shaders take it.
QVector4D kept_in_view(const DrawItem& item, const Camera& camera) {
  if (!item.kept) return {};
  const Vec3 at = camera.view_matrix() * item.kept->middle;
  return {static_cast<float>(at.x()), static_cast<float>(at.y()), static_cast<float>(at.z()), static_cast<float>(item.kept->radius)};
}

/// Camera from model, composed in double so that large coordinates do not shake.
Affine view_from_model(const DrawItem& item, const Camera& camera) {
  return camera.view_matrix() * item.world * Eigen::Translation3d(item.drawable->centre);
}

}  // namespace

void request_opengl() {
  QSurfaceFormat format;
  format.setVersion(3, 3);
  format.setProfile(QSurfaceFormat::CoreProfile);
  format.setDepthBufferSize(24);
  QSurfaceFormat::setDefaultFormat(format);
}

bool Renderer::initialise() {
  if (!initializeOpenGLFunctions()) return false;
  bool good = backdrop_.addShaderFromSourceCode(QOpenGLShader::Vertex, backdrop_vertex) &&
              backdrop_.addShaderFromSourceCode(QOpenGLShader::Fragment, backdrop_fragment) &&
              backdrop_.link();
  good = good && mesh_.addShaderFromSourceCode(QOpenGLShader::Vertex, mesh_vertex) &&
         mesh_.addShaderFromSourceCode(QOpenGLShader::Fragment, mesh_fragment) && mesh_.link();
  good = good && edge_.addShaderFromSourceCode(QOpenGLShader::Vertex, edge_vertex) &&
         edge_.addShaderFromSourceCode(QOpenGLShader::Fragment, edge_fragment) && edge_.link();
  good = good && points_.addShaderFromSourceCode(QOpenGLShader::Vertex, points_vertex) &&
         points_.addShaderFromSourceCode(QOpenGLShader::Fragment, points_fragment) && points_.link();
  nothing_.create();
  const QByteArray name(reinterpret_cast<const char*>(glGetString(GL_RENDERER)));
  software_ = name.contains("llvmpipe") || name.contains("softpipe") || name.contains("swrast");
  return good;
}

void Renderer::begin_frame(const QSize& size, int samples) {
  auto& frame = samples > 0 ? smooth_ : coarse_;
  if (!frame || frame->size() != size) {
    QOpenGLFramebufferObjectFormat format;
    format.setAttachment(QOpenGLFramebufferObject::Depth);
    format.setSamples(samples);
    frame = std::make_unique<QOpenGLFramebufferObject>(size, format);
  }
  frame_ = frame.get();
  frame_->bind();
}

QImage Renderer::end_frame() { return image_of(*frame_); }

void Renderer::forget_frames() {
  coarse_.reset();
  smooth_.reset();
}

QImage Renderer::image_of(QOpenGLFramebufferObject& framebuffer) {
  if (framebuffer.format().samples() > 0) {
    QOpenGLFramebufferObject plain(framebuffer.size());
    QOpenGLFramebufferObject::blitFramebuffer(&plain, &framebuffer);
    return image_of(plain);
  }
  QOpenGLFunctions* gl = QOpenGLContext::currentContext()->functions();
  framebuffer.bind();
  QImage image(framebuffer.size(), QImage::Format_RGB32);
  gl->glPixelStorei(GL_PACK_ALIGNMENT, 4);
  gl->glReadPixels(0, 0, image.width(), image.height(), GL_BGRA, GL_UNSIGNED_INT_8_8_8_8_REV, image.bits());
  framebuffer.release();
  return std::move(image).mirrored();  // OpenGL's rows begin at the bottom
}

void Renderer::bind_edges(QOpenGLBuffer& buffer, int first) {
  buffer.bind();
  const auto stride = static_cast<GLsizei>(sizeof(DrawnEdge));
  for (GLuint k = 0; k < 5; ++k) {
    glEnableVertexAttribArray(k);
    glVertexAttribPointer(k, k < 4 ? 3 : 1, GL_FLOAT, GL_FALSE, stride,
                          reinterpret_cast<const void*>(static_cast<std::uintptr_t>(first) * sizeof(DrawnEdge) + 12 * k));
    glVertexAttribDivisor(k, 1);
  }
}

QColor deviation_colour(double share) {
  const QColor stops[] = {QColor(0xD8, 0xD2, 0xC6), QColor(0xC7, 0x7B, 0x12), theme::defect};  // as the shader mixes them
  const int k = share < 0.5 ? 0 : 1;
  const double t = std::clamp(2 * share - k, 0.0, 1.0);
  const auto mix = [&](int a, int b) { return static_cast<int>(std::lround(a + t * (b - a))); };
  return {mix(stops[k].red(), stops[k + 1].red()), mix(stops[k].green(), stops[k + 1].green()), mix(stops[k].blue(), stops[k + 1].blue())};
}

Renderer::Buffers& Renderer::buffers_for(const std::shared_ptr<const Drawable>& drawable) {
  auto& slot = buffers_[drawable.get()];
  if (slot) return *slot;
  slot = std::make_unique<Buffers>();
  Buffers& b = *slot;
  b.source = drawable;
  auto fill = [&](QOpenGLBuffer& buffer, const void* data, std::size_t bytes) {
    buffer.create();
    buffer.bind();
    buffer.allocate(data, static_cast<int>(bytes));
    ++uploads_;
  };
  b.faces.create();
  b.faces.bind();
  fill(b.vertices, drawable->positions.data(), drawable->positions.size() * sizeof(float));
  glEnableVertexAttribArray(0);
  glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 0, nullptr);
  if (!drawable->deviation.empty()) {
    fill(b.deviation, drawable->deviation.data(), drawable->deviation.size() * sizeof(float));
    glEnableVertexAttribArray(1);
    glVertexAttribPointer(1, 1, GL_FLOAT, GL_FALSE, 0, nullptr);
  }
  if (drawable->is_cloud()) {
    fill(b.shade, drawable->shade.data(), drawable->shade.size());
    glEnableVertexAttribArray(1);
    glVertexAttribPointer(1, 4, GL_BYTE, GL_TRUE, 0, nullptr);
  }
  fill(b.proxy, drawable->proxy.data(), drawable->proxy.size() * sizeof(std::uint32_t));
  // A heavy mesh shows its proxy until the rest has been sent, a little at a time.
  const bool heavy = !drawable->proxy.empty();
  fill(b.indices, heavy ? nullptr : drawable->triangles.data(), drawable->triangles.size() * sizeof(std::uint32_t));
  b.faces.release();
  b.lines.create();
  b.lines.bind();
  // Of a heavy mesh only wires show more than the creases, and while a large one is dragged it may be gone before they are drawn.
  const bool creases_first = heavy || drawable->edges.size() > max_edges_moving;
  const std::size_t edges = creases_first ? drawable->crease_count : drawable->edges.size();
  fill(b.edges, drawable->edges.data(), edges * sizeof(DrawnEdge));
  bind_edges(b.edges);
  b.lines.release();
  b.fresh_lines.create();
  b.fresh_lines.bind();
  fill(b.fresh, drawable->fresh.data(), drawable->fresh.size() * sizeof(DrawnEdge));
  bind_edges(b.fresh);
  b.fresh_lines.release();
  b.fresh_count = static_cast<int>(drawable->fresh.size());
  b.index_count = static_cast<int>(drawable->triangles.size());
  b.proxy_count = static_cast<int>(drawable->proxy.size());
  b.edge_count = static_cast<int>(drawable->edges.size());
  b.crease_count = static_cast<int>(drawable->crease_count);
  b.open_count = static_cast<int>(drawable->open_count);
  b.indices_sent = heavy ? 0 : b.index_count;
  b.edges_sent = creases_first ? b.crease_count : b.edge_count;
  return b;
}

void Renderer::send_indices(Buffers& b, BufferRange range) {
  const int from = std::max(range.first, b.indices_sent), end = range.first + range.count;
  if (from >= end) return;
  b.faces.bind();
  b.indices.bind();
  b.indices.write(from * static_cast<int>(sizeof(std::uint32_t)), b.source->triangles.data() + from,
                  (end - from) * static_cast<int>(sizeof(std::uint32_t)));
  b.faces.release();
  b.indices_sent = end;
}

void Renderer::send_edges(Buffers& b, BufferRange range) {
  if (range.first + range.count <= b.edges_sent) return;
  b.edges.bind();
  if (b.edges_sent <= b.crease_count) {  // room for the creases alone: now for all
    b.edges.allocate(b.edge_count * static_cast<int>(sizeof(DrawnEdge)));
    b.edges_sent = 0;
  }
  const int from = b.edges_sent, end = range.first + range.count;
  b.edges.write(from * static_cast<int>(sizeof(DrawnEdge)), b.source->edges.data() + from,
                (end - from) * static_cast<int>(sizeof(DrawnEdge)));
  b.edges_sent = end;
}

void Renderer::keep_only(const std::vector<const Drawable*>& alive) {
  std::erase_if(buffers_, [&](auto& item) {
    if (std::find(alive.begin(), alive.end(), item.first) != alive.end()) return false;
    release_async(std::move(item.second->source));
    return true;
  });
}

void Renderer::draw_faces(const DrawItem& item, const QMatrix4x4& clip_from_view, const Camera& camera,
                          const FrameStyle& style, float alpha, BufferRange range) {
  Buffers& b = buffers_for(item.drawable);
  const bool light = style.moving && b.proxy_count > 0;
  if (range.count == 0) range = {0, light ? b.proxy_count : b.index_count};
  if (range.count == 0) return;
  if (!light) send_indices(b, range);
  const Affine model = view_from_model(item, camera);
  glFrontFace(model.linear().determinant() < 0 ? GL_CW : GL_CCW);
  mesh_.bind();
  mesh_.setUniformValue("view_from_model", to_float(model));
  mesh_.setUniformValue("clip_from_view", clip_from_view);
  // A heavy part has no outlines to show that it is chosen: its whole face does.
  const bool washed = item.selected && !item.ghost && is_heavy(item) && !item.drawable->by_region;
  mesh_.setUniformValue("base", washed ? 0.65F * rgb(item.colour) + 0.35F * rgb(theme::selection) : rgb(item.colour));
  const Vec3 up = camera.view_matrix().linear() * Vec3(0, 0, 1);
  mesh_.setUniformValue(
      "up", QVector3D(static_cast<float>(up.x()), static_cast<float>(up.y()), static_cast<float>(up.z())));
  mesh_.setUniformValue("alpha", alpha);
  mesh_.setUniformValue("kept", kept_in_view(item, camera));
  mesh_.setUniformValue("largest", item.mapped && !item.drawable->by_region ? item.drawable->max_deviation : 0.0F);
  mesh_.setUniformValue("by_region", item.drawable->by_region ? 1 : 0);
  mesh_.setUniformValue("near_colour", rgb(deviation_colour(0)));
  mesh_.setUniformValue("middle_colour", rgb(deviation_colour(0.5)));
  mesh_.setUniformValue("far_colour", rgb(deviation_colour(1)));
  b.faces.bind();
  (light ? b.proxy : b.indices).bind();
  glDrawElements(GL_TRIANGLES, range.count, GL_UNSIGNED_INT,
                 reinterpret_cast<const void*>(static_cast<std::uintptr_t>(range.first) * sizeof(std::uint32_t)));
  b.faces.release();
}

void Renderer::draw_points(const DrawItem& item, const QMatrix4x4& clip_from_view, const Camera& camera, const QRect& pixels, const FrameStyle& style, float alpha, BufferRange range) {
  Buffers& b = buffers_for(item.drawable);
  const std::size_t all = item.drawable->point_count(), shown = style.moving ? std::min(all, points_moving) : all;
  if (range.count == 0) range = {0, static_cast<int>(shown)};
  const Affine model = view_from_model(item, camera);
  const Vec3 up = camera.view_matrix().linear() * Vec3(0, 0, 1);
  const Eigen::Matrix3d normals = model.linear().inverse().transpose();
  QMatrix3x3 normal_in_view;
  for (int row = 0; row < 3; ++row)
    for (int column = 0; column < 3; ++column) normal_in_view(row, column) = static_cast<float>(normals(row, column));
  // Fewer points are as much larger as closes the surface again.
  const double scale = std::cbrt(std::abs(model.linear().determinant())) * std::sqrt(static_cast<double>(all) / static_cast<double>(std::max<std::size_t>(shown, 1)));
  points_.bind();
  points_.setUniformValue("view_from_model", to_float(model));
  points_.setUniformValue("clip_from_view", clip_from_view);
  points_.setUniformValue("normal_in_view", normal_in_view);
  points_.setUniformValue("base", item.selected && !item.ghost ? 0.65F * rgb(item.colour) + 0.35F * rgb(theme::selection) : rgb(item.colour));
  points_.setUniformValue("up", QVector3D(static_cast<float>(up.x()), static_cast<float>(up.y()), static_cast<float>(up.z())));
  points_.setUniformValue("kept", kept_in_view(item, camera));
  points_.setUniformValue("alpha", alpha);
  points_.setUniformValue("size", static_cast<float>(scale) * item.drawable->point_size * 0.5F * static_cast<float>(pixels.height()) * clip_from_view(1, 1));
  points_.setUniformValue("smallest", 1.5F * static_cast<float>(style.pixel_ratio));
  points_.setUniformValue("two_sided", item.drawable->two_sided ? 1 : 0);
  glEnable(GL_PROGRAM_POINT_SIZE);
  b.faces.bind();
  glDrawArrays(GL_POINTS, range.first, range.count);
  b.faces.release();
}

void Renderer::draw_lines(const DrawItem& item, const QMatrix4x4& clip_from_view, const Camera& camera,
                          const QRect& pixels, const FrameStyle& style, const LineStyle& line) {
  Buffers& b = buffers_for(item.drawable);
  // Very fine meshes show creases and open edges only, nothing but faces while they move by their proxy.
  const bool heavy = static_cast<std::size_t>(b.edge_count) > max_edges_drawn;
  if (heavy && style.moving && b.proxy_count > 0) return;
  int count = heavy && (line.which != LineStyle::all || style.moving) ? b.crease_count : b.edge_count;
  if (style.moving && static_cast<std::size_t>(b.edge_count) > max_edges_moving) count = std::min(count, b.crease_count);
  if (line.which == LineStyle::open_only) count = b.open_count;
  if (line.which == LineStyle::fresh) count = b.fresh_count;
  const BufferRange range = line.range.count > 0 ? line.range : BufferRange{0, count};
  if (range.count == 0) return;
  if (line.which != LineStyle::fresh) send_edges(b, range);
  const Affine model = view_from_model(item, camera);
  const Affine back = model.inverse();
  const Vec3 eye = camera.parallel ? Vec3(back.linear() * Vec3(0, 0, 1)) : Vec3(back.translation());
  edge_.bind();
  edge_.setUniformValue("view_from_model", to_float(model));
  edge_.setUniformValue("clip_from_view", clip_from_view);
  edge_.setUniformValue("eye", QVector4D(static_cast<float>(eye.x()), static_cast<float>(eye.y()),
                                         static_cast<float>(eye.z()), camera.parallel ? 0.0F : 1.0F));
  edge_.setUniformValue("viewport",
                        QVector2D(static_cast<float>(pixels.width()), static_cast<float>(pixels.height())));
  edge_.setUniformValue("width", line.width * static_cast<float>(style.pixel_ratio));
  // Fresh edges lie on outlines: they are drawn a little nearer than those.
  const float share = line.which == LineStyle::fresh ? 2.5e-3F : 1.5e-3F;
  edge_.setUniformValue("depth_bias", camera.parallel ? QVector2D(0, share * static_cast<float>(camera.distance))
                                                : QVector2D(share, 0));
  edge_.setUniformValue("all", line.which == LineStyle::all || line.which == LineStyle::fresh ? 1 : 0);
  edge_.setUniformValue("ink", QVector4D(rgb(line.colour), line.alpha));
  edge_.setUniformValue("kept", kept_in_view(item, camera));
  edge_.setUniformValue("dash", line.dash * static_cast<float>(style.pixel_ratio));
  if (line.hidden_too) glDisable(GL_DEPTH_TEST);
  QOpenGLVertexArrayObject& lines = line.which == LineStyle::fresh ? b.fresh_lines : b.lines;
  lines.bind();
  QOpenGLBuffer& buffer = line.which == LineStyle::fresh ? b.fresh : b.edges;
  if (range.first > 0) bind_edges(buffer, range.first);
  glDrawArraysInstanced(GL_TRIANGLE_STRIP, 0, 4, range.count);
  if (range.first > 0) bind_edges(buffer);
  lines.release();
  if (line.hidden_too) glEnable(GL_DEPTH_TEST);
}

void Renderer::draw_grid(const QMatrix4x4& clip_from_view, const Camera& camera, const QRect& pixels,
                         const FrameStyle& style) {
  constexpr int reach = 24;  // lines to each side
  const double step = style.grid_step;
  const Vec3 middle(std::round(camera.focus.x() / step) * step, std::round(camera.focus.y() / step) * step,
                    0);
  if (!grid_.isCreated()) {
    std::vector<DrawnEdge> lines;
    for (int i = -reach; i <= reach; ++i)
      for (const bool across : {false, true}) {
        const auto at = static_cast<float>(i), end = static_cast<float>(reach);
        DrawnEdge edge{};
        if (across) {
          edge.a[0] = -end, edge.b[0] = end, edge.a[1] = edge.b[1] = at;
        } else {
          edge.a[1] = -end, edge.b[1] = end, edge.a[0] = edge.b[0] = at;
        }
        edge.kind = 1;
        lines.push_back(edge);
      }
    grid_lines_.create();
    grid_lines_.bind();
    grid_.create();
    grid_.bind();
    grid_.allocate(lines.data(), static_cast<int>(lines.size() * sizeof(DrawnEdge)));
    bind_edges(grid_);
    grid_lines_.release();
  }
  Affine model = camera.view_matrix() * Eigen::Translation3d(middle);
  model.linear() *= step;
  edge_.bind();
  edge_.setUniformValue("view_from_model", to_float(model));
  edge_.setUniformValue("clip_from_view", clip_from_view);
  edge_.setUniformValue("eye", QVector4D(0, 0, 1, 0));
  edge_.setUniformValue("viewport",
                        QVector2D(static_cast<float>(pixels.width()), static_cast<float>(pixels.height())));
  edge_.setUniformValue("width", static_cast<float>(style.pixel_ratio));
  edge_.setUniformValue("depth_bias", QVector2D(0, 0));
  edge_.setUniformValue("all", 1);
  edge_.setUniformValue("dash", 0.0F);
  edge_.setUniformValue("ink", QVector4D(rgb(QColor(0xAE, 0xA7, 0x99)), 0.45F));
  edge_.setUniformValue("kept", QVector4D());
  glDepthMask(GL_FALSE);
  grid_lines_.bind();
  glDrawArraysInstanced(GL_TRIANGLE_STRIP, 0, 4, 2 * (2 * reach + 1));
  grid_lines_.release();
  glDepthMask(GL_TRUE);
}

void Renderer::draw(const QRect& pixels, const Camera& camera, const std::vector<DrawItem>& items,
                    const Box3& scene, const FrameStyle& style) {
  for (const auto& step : steps(pixels, camera, items, scene, style)) step();
}

void Renderer::begin_step(const QRect& pixels) {
  glViewport(pixels.x(), pixels.y(), pixels.width(), pixels.height());
  glEnable(GL_SCISSOR_TEST);
  glScissor(pixels.x(), pixels.y(), pixels.width(), pixels.height());
  glDisable(GL_CULL_FACE);
  glDepthMask(GL_TRUE);
  glEnable(GL_DEPTH_TEST);
  glDepthFunc(GL_LEQUAL);
  glEnable(GL_BLEND);
  glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
}

Renderer::Steps Renderer::steps(const QRect& pixels, const Camera& camera, const std::vector<DrawItem>& items,
                                const Box3& scene, const FrameStyle& style) {
  const QMatrix4x4 clip = camera.projection(pixels.size(), scene);
  Steps all;
  auto add = [&](auto work) {
    all.push_back([this, pixels, camera, style, clip, work] {
      begin_step(pixels);
      work(clip, camera, style);
      glDepthMask(GL_TRUE);
      glDisable(GL_SCISSOR_TEST);
      glDisable(GL_DEPTH_TEST);
    });
  };
  add([this, pixels](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
    glClear(GL_DEPTH_BUFFER_BIT);
    glDisable(GL_DEPTH_TEST);
    glDisable(GL_BLEND);
    backdrop_.bind();
    backdrop_.setUniformValue("top", rgb(theme::view_top));
    backdrop_.setUniformValue("bottom", rgb(theme::view_bottom));
    nothing_.bind();
    glDrawArrays(GL_TRIANGLES, 0, 3);
    nothing_.release();
    glEnable(GL_DEPTH_TEST);
    glEnable(GL_BLEND);
    if (in.grid) draw_grid(to_clip, from, pixels, in);
  });
  // Calls add_range(range) so often that each is quick; an empty range stands for all.
  auto in_ranges = [](std::size_t count, std::size_t most, auto add_range) {
    if (count <= most) return add_range(BufferRange{});
    for (std::size_t first = 0; first < count; first += most)
      add_range(BufferRange{static_cast<int>(first), static_cast<int>(std::min(most, count - first))});
  };

  const bool see_through = style.style == RenderStyle::see_through;
  for (const DrawItem& item : items) {
    if (item.ghost || item.overlay) continue;
    const bool light = style.moving || !is_heavy(item);
    if (item.drawable->is_cloud()) {
      in_ranges(light ? 0 : item.drawable->point_count(), max_points_per_step, [&](BufferRange range) {
        add([this, item, range, pixels](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) { draw_points(item, to_clip, from, pixels, in, 1, range); });
      });
      continue;
    }
    in_ranges(light ? 0 : item.drawable->triangles.size(), max_indices_per_step, [&](BufferRange range) {
      add([this, item, range, see_through](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
        if (see_through) glDepthMask(GL_FALSE);
        draw_faces(item, to_clip, from, in, see_through ? 0.30F : 1.0F, range);
      });
    });
  }
  for (const DrawItem& item : items) {
    if (item.ghost || item.overlay) continue;
    if (style.style == RenderStyle::wires) {
      const bool light = style.moving || !is_heavy(item);
      in_ranges(light ? 0 : item.drawable->edges.size(), max_edges_per_step, [&](BufferRange range) {
        add([this, item, range, pixels](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
          draw_lines(item, to_clip, from, pixels, in, {theme::ink, 0.75F, 1, 0, LineStyle::all, false, range});
        });
      });
    }
    add([this, item, pixels, see_through](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
      if (in.style != RenderStyle::plain || item.selected)
        draw_lines(item, to_clip, from, pixels, in,
                   {item.outline, see_through ? 0.8F : 1.0F, item.selected ? 2.0F : 1.2F, 0, LineStyle::outlines, false});
      if (item.fresh && in.style != RenderStyle::plain)
        draw_lines(item, to_clip, from, pixels, in, {theme::selection, 1, 2.0F, 0, LineStyle::fresh, false});
      if (in.marks) draw_lines(item, to_clip, from, pixels, in, {theme::defect, 1, 2.4F, 0, LineStyle::open_only, false});
    });
  }
  for (const DrawItem& item : items) {
    if (!item.overlay) continue;
    add([this, item, pixels](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
      glDepthMask(GL_FALSE);
      glEnable(GL_POLYGON_OFFSET_FILL);
      glPolygonOffset(-1, -4);
      draw_faces(item, to_clip, from, in, 0.72F);
      glDisable(GL_POLYGON_OFFSET_FILL);
      draw_lines(item, to_clip, from, pixels, in, {theme::ink, 0.45F, 1, 0, LineStyle::all, false});
      draw_lines(item, to_clip, from, pixels, in, {item.outline, 0.35F, 1.6F, 3, LineStyle::fresh, true});
      draw_lines(item, to_clip, from, pixels, in, {item.outline, 1, 3.2F, 0, LineStyle::fresh, false});
    });
  }
  for (const DrawItem& item : items) {
    if (!item.ghost) continue;
    const bool light = style.moving || !is_heavy(item);
    if (item.drawable->is_cloud()) {
      in_ranges(light ? 0 : item.drawable->point_count(), max_points_per_step, [&](BufferRange range) {
        add([this, item, range, pixels](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
          glDepthMask(GL_FALSE);
          draw_points(item, to_clip, from, pixels, in, item.faint ? 0.25F : 0.6F, range);
        });
      });
      continue;
    }
    in_ranges(light ? 0 : item.drawable->triangles.size(), max_indices_per_step, [&](BufferRange range) {
      add([this, item, range](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
        glDepthMask(GL_FALSE);
        // Where a ghost lies flush with its part, the part wins.
        glEnable(GL_POLYGON_OFFSET_FILL);
        glPolygonOffset(1, 4);
        draw_faces(item, to_clip, from, in, item.faint ? 0.10F : 0.32F, range);
        glDisable(GL_POLYGON_OFFSET_FILL);
      });
    });
    add([this, item, pixels](const QMatrix4x4& to_clip, const Camera& from, const FrameStyle& in) {
      glDepthMask(GL_FALSE);
      if (!item.faint)
        draw_lines(item, to_clip, from, pixels, in, {item.outline, 0.40F, 1.3F, 5, LineStyle::outlines, true});
      draw_lines(item, to_clip, from, pixels, in,
                 {item.outline, item.faint ? 0.7F : 1.0F, item.faint ? 1.2F : 2.2F, 5, LineStyle::outlines, false});
    });
  }
  return all;
}

}  // namespace anvil::app
