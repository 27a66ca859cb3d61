// SPDX-License-Identifier: GPL-3.0-or-later
// Fields: what can be set about a primitive, a step or a mender, described once. From the description alone come the
// card, the job file, the range check, the cache key, the command line's --set, the help and the undo text.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "core/result.h"

namespace anvil {

/// What a field is. Decides which of FieldValue's types it holds and how it is written.
enum class FieldKind {
  length,     ///< double, mm (in files without a job: the file's unit)
  angle,      ///< double, degrees
  count,      ///< double without a fraction
  share,      ///< double, a plain number
  choice,     ///< string, the key of one of `choices`
  toggle,     ///< bool, "on" or "off"
  point,      ///< Vec3, mm
  direction,  ///< Vec3, not zero; its length does not matter
  axis,       ///< Vec3, not zero: the direction of a line through the field named in `through`
  elements,   ///< string: chosen faces, edges or vertices, as core/modify/find_again.h reads it
  edges,      ///< string: a rule by which edges are found, as core/mesh/edge_rule.h reads it
  counts,     ///< Vec3 of whole numbers
  offset,     ///< Vec3, mm: how far along each axis; no place
  text,       ///< string, in UTF-8: any text, lines split by newlines
  outline,    ///< string: an outline in a plane, as core/outline.h reads it
  path        ///< string: points in space, as core/outline.h reads it
};

using FieldValue = std::variant<double, bool, std::string, Vec3>;
/// Values in the order of the fields they belong to.
using FieldValues = std::vector<FieldValue>;

struct FieldChoice {
  std::string key, label;
  bool operator==(const FieldChoice&) const = default;
};

struct Field {
  std::string key;    ///< stable, in files and on the command line
  std::string label;  ///< as people read it
  FieldKind kind = FieldKind::length;
  FieldValue initial = 0.0;
  double min = 0, max = 0;                ///< of numbers, both allowed; of each coordinate of a point; of how many elements,
                                          ///< where a maximum of 0 stands for any number
  std::string help;                       ///< one sentence
  std::vector<FieldChoice> choices = {};  ///< of a choice; of elements the kinds that fit, the preferred one first
  /// Of a direction or an axis: the key of the point it starts from. A direction with a point is a plane and can be
  /// placed in the view.
  std::string through = {};
  bool automatic = false;  ///< of a length: it may also be what suits by itself ("auto"), kept as automatic_length
  bool folded = false;  ///< seldom changed: the card shows it only when asked
  bool graded = false;  ///< of a length by which something is made coarser or finer: the card offers both in round steps
  /// Of a text that has to be read: why it cannot be, and the remedy; nothing when it can.
  std::optional<Issue> (*fault)(std::string_view) = nullptr;
  std::vector<std::string> (*suggestions)() = nullptr;  ///< of a text of one line: what is often meant
};

/// The farthest that anything may be placed from the origin, and the largest length that can be set.
inline constexpr double max_coordinate = 1e7, max_length = 1e6, min_length = 1e-6;

/// What a length that is left to the program is kept as.
inline constexpr double automatic_length = -1;

Field length_field(std::string key, std::string label, double initial, std::string help, double min = min_length,
                   double max = max_length);
Field angle_field(std::string key, std::string label, double initial, std::string help, double min = -36000,
                  double max = 36000);
Field count_field(std::string key, std::string label, double initial, double min, double max, std::string help);
Field share_field(std::string key, std::string label, double initial, double min, double max, std::string help);
Field choice_field(std::string key, std::string label, std::string initial, std::vector<FieldChoice> choices,
                   std::string help);
Field toggle_field(std::string key, std::string label, bool initial, std::string help);
Field point_field(std::string key, std::string label, const Vec3& initial, std::string help);
Field direction_field(std::string key, std::string label, const Vec3& initial, std::string help,
                      std::string through = {});
Field axis_field(std::string key, std::string label, const Vec3& initial, std::string help, std::string through);
/// @param kinds  "faces", "edges", "vertices": which fit
Field elements_field(std::string key, std::string label, std::vector<std::string> kinds, double min, double max, std::string help);

/// @param initial  a rule, as core/mesh/edge_rule.h reads it
Field edges_field(std::string key, std::string label, std::string initial, std::string help);
/// @param min,max  of each of the three numbers
Field counts_field(std::string key, std::string label, const Vec3& initial, double min, double max, std::string help);
Field offset_field(std::string key, std::string label, const Vec3& initial, std::string help);
Field text_field(std::string key, std::string label, std::string initial, std::string help);
/// @param initial  as core/outline.h reads it
Field outline_field(std::string key, std::string label, std::string initial, std::string help);
Field path_field(std::string key, std::string label, std::string help, std::string initial = "");

/// The same, which may be left to the program, and is at first.
Field automatic(Field field);
/// The same, shown only when asked for.
Field folded(Field field);
Field graded(Field field);
/// The next round length above a length, or below it: 1, 1.5, 2, 3, 5 or 7 with a power of ten.
double next_grade(double length, bool up);

/// "length", "angle", "count", "share", "choice", "switch", "point", "direction", "axis", "elements", "edges", "counts",
/// "offset", "text", "outline", "path".
const char* name_of(FieldKind kind);
/// "mm", "°" or "".
const char* unit_of(FieldKind kind);
/// "0.001 to 1000000 mm", "on or off", "above, below or both".
std::string range_of(const Field& field);

FieldValues initial_values(std::span<const Field> fields);
/// Place of the field with this key; nothing when there is none.
std::optional<std::size_t> field_place(std::span<const Field> fields, std::string_view key);

/// Why a value cannot be set: wrong type, not finite, outside its range. The message names the field and the range.
std::optional<Issue> check_value(const Field& field, const FieldValue& value);
/// The first complaint about any of the values; also when they are not as many as the fields.
std::optional<Issue> check_values(std::span<const Field> fields, const FieldValues& values);

/// Reads a value as people type it: "12+0.4", "on", "above", "0,0,12.5". Checked against the range.
/// @param units  lengths may carry one ("1in", "2cm"); then what has none is in millimetres
Result<FieldValue> parse_value(const Field& field, std::string_view text, bool units = false);
/// A sum of numbers, such as "12+0.4-1"; with units as above. Decimal point only, whatever the locale.
Result<double> parse_sum(std::string_view text, bool units);
/// The same as people type it into a field: with a decimal comma as well ("12,5"), or grouped by commas ("1,250,000", "1,250.5"). What may
/// be either ("1,250") is refused.
Result<double> parse_typed_sum(std::string_view text, bool units);
/// As parse_value reads it, with as many digits as bring the same value back.
std::string to_text(const FieldValue& value);
std::string to_text(const Field& field, const FieldValue& value);
/// For people: four significant digits or so, with the unit.
std::string in_words(const Field& field, const FieldValue& value);

/// Appends what tells values apart, bit for bit.
void add_to_key(std::string& key, const FieldValues& values);

/// Values with their fields, for whoever carries a step out. Asking for a key that is not there, or as another type,
/// is a programming error (std::logic_error).
class FieldReader {
 public:
  FieldReader(std::span<const Field> fields, const FieldValues& values) : fields_(fields), values_(&values) {}
  double number(std::string_view key) const;
  /// Of a length; nothing where it is left to the program.
  std::optional<double> length(std::string_view key) const;
  bool on(std::string_view key) const;
  const std::string& text(std::string_view key) const;
  const Vec3& vector(std::string_view key) const;
  Index count(std::string_view key) const { return static_cast<Index>(number(key)); }

 private:
  const FieldValue& at(std::string_view key) const;
  std::span<const Field> fields_;
  const FieldValues* values_;
};

}  // namespace anvil
