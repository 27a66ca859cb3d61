// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/lettering.h"

#include <fmt/format.h>
#include <fontconfig/fontconfig.h>
#include <ft2build.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <span>

#include FT_FREETYPE_H
#include FT_OUTLINE_H

// The fonts that come along are part of the program, so that every machine has them.
#define ANVIL_FONT(name, file)                             \
  asm(".section .rodata\n" #name "_begin:\n.incbin \"" ANVIL_FONTS "/" file "\"\n" #name "_end:\n.byte 0\n.previous\n"); \
  extern "C" const unsigned char name##_begin[], name##_end[];
ANVIL_FONT(anvil_font_regular, "Inter-Regular.otf")
ANVIL_FONT(anvil_font_medium, "Inter-Medium.otf")
ANVIL_FONT(anvil_font_semibold, "Inter-SemiBold.otf")
#undef ANVIL_FONT

namespace anvil {
namespace {

struct OwnFont {
  const char* name;
  std::span<const unsigned char> bytes;
};
const std::vector<OwnFont>& own_fonts() {
  static const std::vector<OwnFont> own = {{"Inter", {anvil_font_regular_begin, anvil_font_regular_end}},
                                           {"Inter Medium", {anvil_font_medium_begin, anvil_font_medium_end}},
                                           {"Inter SemiBold", {anvil_font_semibold_begin, anvil_font_semibold_end}}};
  return own;
}

struct InstalledFont {
  std::string file;
  int index = 0;
};
using InstalledFonts = std::map<std::string, InstalledFont>;

std::string text_of(FcPattern* pattern, const char* what) {
  FcChar8* text = nullptr;
  return FcPatternGetString(pattern, what, 0, &text) == FcResultMatch ? reinterpret_cast<const char*>(text) : "";
}

/// Scalable ones, by family and style: "DejaVu Sans", "DejaVu Sans Bold".
const InstalledFonts& installed_fonts() {
  static const InstalledFonts all = [] {
    InstalledFonts found;
    const std::unique_ptr<FcConfig, void (*)(FcConfig*)> config(FcInitLoadConfigAndFonts(), FcConfigDestroy);
    const std::unique_ptr<FcPattern, void (*)(FcPattern*)> any(FcPatternBuild(nullptr, FC_SCALABLE, FcTypeBool, FcTrue, nullptr), FcPatternDestroy);
    const std::unique_ptr<FcObjectSet, void (*)(FcObjectSet*)> wanted(FcObjectSetBuild(FC_FAMILY, FC_STYLE, FC_FILE, FC_INDEX, nullptr), FcObjectSetDestroy);
    const std::unique_ptr<FcFontSet, void (*)(FcFontSet*)> set(FcFontList(config.get(), any.get(), wanted.get()), FcFontSetDestroy);
    for (int k = 0; set && k < set->nfont; ++k) {
      FcPattern* font = set->fonts[k];
      const std::string family = text_of(font, FC_FAMILY), style = text_of(font, FC_STYLE);
      InstalledFont one{text_of(font, FC_FILE), 0};
      FcPatternGetInteger(font, FC_INDEX, 0, &one.index);
      if (family.empty() || one.file.empty()) continue;
      const bool is_plain = style.empty() || style == "Regular" || style == "Book" || style == "Roman";
      found.emplace(is_plain ? family : family + " " + style, one);
    }
    return found;
  }();
  return all;
}

struct CloseLibrary {
  void operator()(FT_Library library) const { FT_Done_FreeType(library); }
};
struct CloseFace {
  void operator()(FT_Face face) const { FT_Done_Face(face); }
};
using Library = std::unique_ptr<std::remove_pointer_t<FT_Library>, CloseLibrary>;
using Face = std::unique_ptr<std::remove_pointer_t<FT_Face>, CloseFace>;

Face open_face(FT_Library library, const std::string& name) {
  FT_Face face = nullptr;
  for (const OwnFont& own : own_fonts())
    if (name == own.name && FT_New_Memory_Face(library, own.bytes.data(), static_cast<FT_Long>(own.bytes.size()), 0, &face) == 0) return Face(face);
  const auto it = installed_fonts().find(name);
  if (it != installed_fonts().end() && FT_New_Face(library, it->second.file.c_str(), it->second.index, &face) == 0) return Face(face);
  return nullptr;
}

/// The next character of a text in UTF-8; nothing for bytes that are none.
std::optional<char32_t> next_character(std::string_view& rest) {
  const auto lead = static_cast<unsigned char>(rest.front());
  const std::size_t size = lead < 0x80 ? 1 : lead >> 5 == 6 ? 2 : lead >> 4 == 14 ? 3 : lead >> 3 == 30 ? 4 : 0;
  if (size == 0 || size > rest.size()) return std::nullopt;
  char32_t code = size == 1 ? lead : lead & (0xffu >> (size + 1));
  for (std::size_t k = 1; k < size; ++k) {
    const auto byte = static_cast<unsigned char>(rest[k]);
    if (byte >> 6 != 2) return std::nullopt;
    code = code << 6 | (byte & 0x3fu);
  }
  rest.remove_prefix(size);
  return code;
}

/// Takes up the curves of a glyph as straight pieces.
struct Pen {
  std::vector<Loop2>& loops;
  double scale, flatness;
  Vec2 shift;
  Vec2 at(const FT_Vector* p) const { return shift + scale * Vec2(static_cast<double>(p->x), static_cast<double>(p->y)); }
  Loop2& loop() { return loops.back(); }
  void add(const Vec2& p) {
    if (loop().empty() || loop().back() != p) loop().push_back(p);
  }
  /// A piece of n parts strays from the curve by at most a share 1/n² of what bounds its bend.
  int pieces(double bend) const { return static_cast<int>(std::clamp(std::ceil(std::sqrt(bend / flatness)), 1.0, 200.0)); }

  static int move(const FT_Vector* to, void* user) {
    auto& pen = *static_cast<Pen*>(user);
    pen.loops.emplace_back();
    pen.add(pen.at(to));
    return 0;
  }
  static int line(const FT_Vector* to, void* user) {
    auto& pen = *static_cast<Pen*>(user);
    pen.add(pen.at(to));
    return 0;
  }
  static int conic(const FT_Vector* control, const FT_Vector* to, void* user) {
    auto& pen = *static_cast<Pen*>(user);
    const Vec2 a = pen.loop().back(), b = pen.at(control), c = pen.at(to);
    const int n = pen.pieces((a - 2 * b + c).norm() / 4);
    for (int k = 1; k <= n; ++k) {
      const double t = static_cast<double>(k) / n, s = 1 - t;
      pen.add(k == n ? c : Vec2(s * s * a + 2 * s * t * b + t * t * c));
    }
    return 0;
  }
  static int cubic(const FT_Vector* first, const FT_Vector* second, const FT_Vector* to, void* user) {
    auto& pen = *static_cast<Pen*>(user);
    const Vec2 a = pen.loop().back(), b = pen.at(first), c = pen.at(second), d = pen.at(to);
    const int n = pen.pieces(0.75 * std::max((a - 2 * b + c).norm(), (b - 2 * c + d).norm()));
    for (int k = 1; k <= n; ++k) {
      const double t = static_cast<double>(k) / n, s = 1 - t;
      pen.add(k == n ? d : Vec2(s * s * s * a + 3 * s * s * t * b + 3 * s * t * t * c + t * t * t * d));
    }
    return 0;
  }
};

/// The loops of one line, its beginning at the origin; how long it is.
Result<double> add_line(FT_Face face, std::string_view line, const LetterSettings& settings, std::vector<Loop2>& loops) {
  const double scale = settings.size / face->units_per_EM;
  double along = 0;
  FT_UInt before = 0;
  std::string_view rest = line;
  while (!rest.empty()) {
    const auto code = next_character(rest);
    if (!code) return Issue{"the text is not valid UTF-8", "", {}, "type it again"};
    const FT_UInt glyph = FT_Get_Char_Index(face, *code);
    if (glyph == 0) return Issue{fmt::format("the font {} has no character U+{:04X}", settings.font, static_cast<unsigned>(*code)), "", {}, "choose another font, or leave it out"};
    FT_Vector kerning{0, 0};
    if (before != 0 && FT_HAS_KERNING(face)) FT_Get_Kerning(face, before, glyph, FT_KERNING_UNSCALED, &kerning);
    along += scale * static_cast<double>(kerning.x);
    if (FT_Load_Glyph(face, glyph, FT_LOAD_NO_SCALE | FT_LOAD_NO_BITMAP) != 0 || face->glyph->format != FT_GLYPH_FORMAT_OUTLINE)
      return Issue{fmt::format("the font {} has no outlines", settings.font), "", {}, "choose another font"};
    Pen pen{loops, scale, settings.flatness, {along, 0}};
    FT_Outline_Funcs funcs{};
    funcs.move_to = Pen::move;
    funcs.line_to = Pen::line;
    funcs.conic_to = Pen::conic;
    funcs.cubic_to = Pen::cubic;
    FT_Outline_Decompose(&face->glyph->outline, &funcs, &pen);
    along += scale * static_cast<double>(face->glyph->metrics.horiAdvance) + settings.letter_space;
    before = glyph;
  }
  return along - (line.empty() ? 0 : settings.letter_space);
}

}  // namespace

std::vector<std::string> fonts() {
  std::vector<std::string> names;
  for (const OwnFont& own : own_fonts()) names.emplace_back(own.name);
  for (const auto& [name, font] : installed_fonts())
    if (std::find(names.begin(), names.end(), name) == names.end()) names.push_back(name);
  return names;
}

Result<std::vector<Loop2>> letter_loops(const std::string& text, const LetterSettings& settings) {
  FT_Library raw = nullptr;
  if (FT_Init_FreeType(&raw) != 0) return Issue{"FreeType does not start", "", {}, "install it again"};
  const Library library(raw);
  const Face face = open_face(library.get(), settings.font);
  if (!face || face->units_per_EM == 0) return Issue{fmt::format("there is no font \"{}\"", settings.font), "", {}, "choose one that is installed, or Inter, which comes along"};
  std::vector<Loop2> all;
  std::size_t points = 0;
  std::string_view rest = text;
  for (int number = 0;; ++number) {
    const auto end = rest.find('\n');
    std::vector<Loop2> loops;
    const Result<double> length = add_line(face.get(), rest.substr(0, end), settings, loops);
    if (!length) return length.issue();
    constexpr std::size_t most_points = 1'000'000;
    for (const Loop2& loop : loops) points += loop.size();
    if (points > most_points) return Issue{"the text is too long: its letters would have more than a million corners", "", {}, "choose a shorter Text, or a larger Flatness"};
    const double left = settings.align == LetterSettings::Align::left ? 0 : settings.align == LetterSettings::Align::middle ? *length / 2 : *length;
    for (Loop2& loop : loops) {
      while (loop.size() > 1 && loop.back() == loop.front()) loop.pop_back();
      for (Vec2& p : loop) p += Vec2(-left, -number * settings.line_space * settings.size);
      if (loop.size() > 2) all.push_back(std::move(loop));
    }
    if (end == std::string_view::npos) break;
    rest.remove_prefix(end + 1);
  }
  if (all.empty()) return Issue{"there is no letter to be seen in the text", "", {}, "type some letters or figures"};
  return all;
}

}  // namespace anvil
