// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/fields.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <stdexcept>

#include "core/mesh/edge_rule.h"
#include "core/outline.h"

namespace anvil {
namespace {

Field numeric(FieldKind kind, std::string key, std::string label, double initial, double min, double max,
              std::string help) {
  Field field;
  field.key = std::move(key);
  field.label = std::move(label);
  field.kind = kind;
  field.initial = initial;
  field.min = min;
  field.max = max;
  field.help = std::move(help);
  return field;
}

Field vectorial(FieldKind kind, std::string key, std::string label, const Vec3& initial, std::string help,
                std::string through) {
  Field field;
  field.key = std::move(key);
  field.label = std::move(label);
  field.kind = kind;
  field.initial = initial;
  field.min = -max_coordinate;
  field.max = max_coordinate;
  field.help = std::move(help);
  field.through = std::move(through);
  return field;
}

bool is_number(FieldKind kind) {
  return kind == FieldKind::length || kind == FieldKind::angle || kind == FieldKind::count || kind == FieldKind::share;
}
bool is_vector(FieldKind kind) {
  return kind == FieldKind::point || kind == FieldKind::direction || kind == FieldKind::axis || kind == FieldKind::counts || kind == FieldKind::offset;
}
bool is_direction(FieldKind kind) { return kind == FieldKind::direction || kind == FieldKind::axis; }

bool has_right_type(FieldKind kind, const FieldValue& value) {
  if (is_number(kind)) return std::holds_alternative<double>(value);
  if (is_vector(kind)) return std::holds_alternative<Vec3>(value);
  if (kind == FieldKind::toggle) return std::holds_alternative<bool>(value);
  return std::holds_alternative<std::string>(value);
}

Issue refused(const Field& field, const std::string& what) {
  return {fmt::format("{} is {}", field.label, what), "", {}, "choose " + range_of(field)};
}

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.front()))) text.remove_prefix(1);
  while (!text.empty() && std::isspace(static_cast<unsigned char>(text.back()))) text.remove_suffix(1);
  return text;
}

/// Millimetres in one of the unit that begins `text`, which is moved behind it; 0 when it is no unit.
double take_unit(std::string_view& text) {
  struct Unit {
    std::string_view name;
    double millimetres;
  };
  for (const Unit& unit : {Unit{"mm", 1}, Unit{"cm", 10}, Unit{"m", 1000}, Unit{"inch", 25.4}, Unit{"in", 25.4}})
    if (text.starts_with(unit.name)) {
      text.remove_prefix(unit.name.size());
      return unit.millimetres;
    }
  return 0;
}

std::string listed(const std::vector<FieldChoice>& choices) {
  std::string all;
  for (std::size_t k = 0; k < choices.size(); ++k)
    all += (k == 0 ? "" : k + 1 == choices.size() ? " or " : ", ") + choices[k].key;
  return all;
}

}  // namespace

Field length_field(std::string key, std::string label, double initial, std::string help, double min, double max) {
  return numeric(FieldKind::length, std::move(key), std::move(label), initial, min, max, std::move(help));
}
Field automatic(Field field) {
  field.automatic = true;
  field.initial = automatic_length;
  return field;
}
Field angle_field(std::string key, std::string label, double initial, std::string help, double min, double max) {
  return numeric(FieldKind::angle, std::move(key), std::move(label), initial, min, max, std::move(help));
}
Field count_field(std::string key, std::string label, double initial, double min, double max, std::string help) {
  return numeric(FieldKind::count, std::move(key), std::move(label), initial, min, max, std::move(help));
}
Field share_field(std::string key, std::string label, double initial, double min, double max, std::string help) {
  return numeric(FieldKind::share, std::move(key), std::move(label), initial, min, max, std::move(help));
}
Field choice_field(std::string key, std::string label, std::string initial, std::vector<FieldChoice> choices,
                   std::string help) {
  Field field = numeric(FieldKind::choice, std::move(key), std::move(label), 0, 0, 0, std::move(help));
  field.initial = std::move(initial);
  field.choices = std::move(choices);
  return field;
}
Field toggle_field(std::string key, std::string label, bool initial, std::string help) {
  Field field = numeric(FieldKind::toggle, std::move(key), std::move(label), 0, 0, 0, std::move(help));
  field.initial = initial;
  return field;
}
Field point_field(std::string key, std::string label, const Vec3& initial, std::string help) {
  return vectorial(FieldKind::point, std::move(key), std::move(label), initial, std::move(help), {});
}
Field direction_field(std::string key, std::string label, const Vec3& initial, std::string help, std::string through) {
  return vectorial(FieldKind::direction, std::move(key), std::move(label), initial, std::move(help), std::move(through));
}
Field axis_field(std::string key, std::string label, const Vec3& initial, std::string help, std::string through) {
  return vectorial(FieldKind::axis, std::move(key), std::move(label), initial, std::move(help), std::move(through));
}
Field elements_field(std::string key, std::string label, std::vector<std::string> kinds, double min, double max, std::string help) {
  Field field = numeric(FieldKind::elements, std::move(key), std::move(label), 0, min, max, std::move(help));
  field.initial = kinds[0];
  for (std::string& kind : kinds) field.choices.push_back({kind, kind});
  return field;
}
static Field textual(FieldKind kind, std::string key, std::string label, std::string initial, std::string help, std::optional<Issue> (*fault)(std::string_view)) {
  Field field = numeric(kind, std::move(key), std::move(label), 0, 0, 0, std::move(help));
  field.initial = std::move(initial);
  field.fault = fault;
  return field;
}
Field edges_field(std::string key, std::string label, std::string initial, std::string help) {
  return textual(FieldKind::edges, std::move(key), std::move(label), std::move(initial), std::move(help), edge_rule_fault);
}
Field counts_field(std::string key, std::string label, const Vec3& initial, double min, double max, std::string help) {
  Field field = vectorial(FieldKind::counts, std::move(key), std::move(label), initial, std::move(help), {});
  field.min = min;
  field.max = max;
  return field;
}
Field offset_field(std::string key, std::string label, const Vec3& initial, std::string help) {
  return vectorial(FieldKind::offset, std::move(key), std::move(label), initial, std::move(help), {});
}
Field text_field(std::string key, std::string label, std::string initial, std::string help) {
  return textual(FieldKind::text, std::move(key), std::move(label), std::move(initial), std::move(help), nullptr);
}
Field outline_field(std::string key, std::string label, std::string initial, std::string help) {
  return textual(FieldKind::outline, std::move(key), std::move(label), std::move(initial), std::move(help), outline_fault);
}
Field path_field(std::string key, std::string label, std::string help, std::string initial) {
  return textual(FieldKind::path, std::move(key), std::move(label), std::move(initial), std::move(help), path_fault);
}

Field graded(Field field) {
  field.graded = true;
  return field;
}

double next_grade(double length, bool up) {
  constexpr double grades[] = {1, 1.5, 2, 3, 5, 7};
  constexpr double same = 1e-9;
  double found = length;
  for (int power = static_cast<int>(std::floor(std::log10(length))) - 1, k = 0; k < 3; ++k)
    for (const double grade : grades) {
      const double one = grade * std::pow(10.0, power + k);
      if (up ? one > length * (1 + same) : one >= length * (1 - same)) return up ? one : found;
      found = one;
    }
  return found;
}

Field folded(Field field) {
  field.folded = true;
  return field;
}

const char* name_of(FieldKind kind) {
  switch (kind) {
    case FieldKind::length: return "length";
    case FieldKind::angle: return "angle";
    case FieldKind::count: return "count";
    case FieldKind::share: return "share";
    case FieldKind::choice: return "choice";
    case FieldKind::toggle: return "switch";
    case FieldKind::point: return "point";
    case FieldKind::direction: return "direction";
    case FieldKind::axis: return "axis";
    case FieldKind::elements: return "elements";
    case FieldKind::edges: return "edges";
    case FieldKind::counts: return "counts";
    case FieldKind::offset: return "offset";
    case FieldKind::text: return "text";
    case FieldKind::outline: return "outline";
    case FieldKind::path: return "path";
  }
  return "";
}

const char* unit_of(FieldKind kind) {
  if (kind == FieldKind::length || kind == FieldKind::point || kind == FieldKind::offset) return "mm";
  return kind == FieldKind::angle ? "°" : "";
}

std::string range_of(const Field& field) {
  const char* unit = unit_of(field.kind);
  switch (field.kind) {
    case FieldKind::toggle: return "on or off";
    case FieldKind::choice: return listed(field.choices);
    case FieldKind::elements: return listed(field.choices) + ", as \"" + field.choices[0].key + " at x,y,z; x,y,z\" or \"" + field.choices[0].key + " all\"";
    case FieldKind::direction:
    case FieldKind::axis: return "three numbers x,y,z that are not all zero";
    case FieldKind::edges: return edge_rule_words;
    case FieldKind::text: return "any text";
    case FieldKind::outline: return outline_words;
    case FieldKind::path: return path_words;
    case FieldKind::counts: return fmt::format("three whole numbers x,y,z from {} to {}", field.min, field.max);
    case FieldKind::offset:
    case FieldKind::point: return fmt::format("three numbers x,y,z from {} to {} {}", field.min, field.max, unit);
    case FieldKind::count: return fmt::format("a whole number from {} to {}", field.min, field.max);
    default: return fmt::format("a value from {} to {}{}{}{}", field.min, field.max, *unit == '\0' ? "" : " ", unit, field.automatic ? ", or auto" : "");
  }
}

FieldValues initial_values(std::span<const Field> fields) {
  FieldValues values;
  for (const Field& field : fields) values.push_back(field.initial);
  return values;
}

std::optional<std::size_t> field_place(std::span<const Field> fields, std::string_view key) {
  for (std::size_t k = 0; k < fields.size(); ++k)
    if (fields[k].key == key) return k;
  return std::nullopt;
}

namespace {

constexpr std::string_view automatic_word = "auto";

bool is_automatic(const Field& field, const FieldValue& value) {
  const double* number = std::get_if<double>(&value);
  return field.automatic && number != nullptr && *number == automatic_length;
}

}  // namespace

std::optional<Issue> check_value(const Field& field, const FieldValue& value) {
  if (!has_right_type(field.kind, value)) return refused(field, fmt::format("not a {}", name_of(field.kind)));
  if (is_number(field.kind)) {
    const double number = std::get<double>(value);
    if (is_automatic(field, value)) return std::nullopt;
    if (!(number >= field.min && number <= field.max)) return refused(field, fmt::format("{}, out of range", number));
    if (field.kind == FieldKind::count && number != std::floor(number))
      return refused(field, fmt::format("{}, not a whole number", number));
  }
  if (is_vector(field.kind)) {
    const Vec3& v = std::get<Vec3>(value);
    if (!v.allFinite() || v.cwiseAbs().maxCoeff() > max_coordinate) return refused(field, to_text(value) + ", out of range");
    if (is_direction(field.kind) && v.norm() < 1e-100) return refused(field, "zero and points nowhere");
    if (field.kind == FieldKind::counts && ((v.array() < field.min).any() || (v.array() > field.max).any() || v.array().floor().matrix() != v))
      return refused(field, to_text(value) + ", out of range");
  }
  if (field.fault != nullptr)
    if (auto issue = field.fault(std::get<std::string>(value))) {
      issue->what = field.label + " " + issue->what;
      return issue;
    }
  if (field.kind == FieldKind::choice) {
    const auto& key = std::get<std::string>(value);
    if (std::none_of(field.choices.begin(), field.choices.end(), [&](const FieldChoice& c) { return c.key == key; }))
      return refused(field, fmt::format("\"{}\", which is not to choose from", key));
  }
  return std::nullopt;
}

std::optional<Issue> check_values(std::span<const Field> fields, const FieldValues& values) {
  if (fields.size() != values.size())
    return Issue{fmt::format("needs {} values, got {}", fields.size(), values.size()), "", {}, "give all of them"};
  for (std::size_t k = 0; k < fields.size(); ++k)
    if (auto issue = check_value(fields[k], values[k])) return issue;
  return std::nullopt;
}

Result<double> parse_sum(std::string_view text, bool units) {
  const Issue bad{fmt::format("\"{}\" is not a number", text), "", {},
                  units ? "type a number or a sum, with mm, cm, m or in behind it where it is not millimetres"
                        : "give a number or a sum, with a decimal point"};
  std::string_view rest = trimmed(text);
  double sum = 0;
  bool first = true;
  while (first || !rest.empty()) {
    double sign = 1;
    bool signed_term = false;
    rest = trimmed(rest);
    while (!rest.empty() && (rest.front() == '+' || rest.front() == '-')) {
      if (rest.front() == '-') sign = -sign;
      rest.remove_prefix(1);
      rest = trimmed(rest);
      signed_term = true;
    }
    if (!first && !signed_term) return bad;
    double term = 0;
    const auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), term);
    if (error != std::errc() || !std::isfinite(term)) return bad;
    rest = trimmed(rest.substr(static_cast<std::size_t>(end - rest.data())));
    if (units)
      if (const double millimetres = take_unit(rest); millimetres > 0) term *= millimetres;
    rest = trimmed(rest);
    sum += sign * term;
    first = false;
  }
  return sum;
}

Result<double> parse_typed_sum(std::string_view text, bool units) {
  const auto is_digit = [](char c) { return c >= '0' && c <= '9'; };
  std::string plain;
  for (std::size_t at = 0; at < text.size();) {
    if (!is_digit(text[at])) {
      plain += text[at++];
      continue;
    }
    std::size_t end = at;
    while (end < text.size() && (is_digit(text[end]) || text[end] == ',' || text[end] == '.')) ++end;
    std::string number(text.substr(at, end - at));
    at = end;
    const std::string whole = number.substr(0, number.find('.'));
    const auto commas = std::count(whole.begin(), whole.end(), ',');
    if (std::count(number.begin(), number.end(), ',') > commas) return parse_sum(text, units);  // behind the point: refused there
    // Groups of three behind a first one of one to three.
    const std::size_t first = whole.find(',');
    bool grouped = commas > 0 && first >= 1 && first <= 3 && whole[0] != '0' && whole.size() - first == 4 * static_cast<std::size_t>(commas);
    for (std::size_t k = first; grouped && k < whole.size(); k += 4) grouped = whole[k] == ',';
    if (grouped && commas == 1 && whole == number)
      return Issue{fmt::format("\"{}\" may be {}{} or {}.{}", number, whole.substr(0, first), whole.substr(first + 1), whole.substr(0, first), whole.substr(first + 1)), "", {},
                   "type it without the comma, or with a point"};
    if (grouped)
      std::erase(number, ',');
    else if (commas == 1 && whole == number)
      number[first] = '.';
    plain += number;
  }
  return parse_sum(plain, units);
}

Result<FieldValue> parse_value(const Field& field, std::string_view text, bool units) {
  text = trimmed(text);
  FieldValue value;
  if (field.automatic && (text == automatic_word || text == "on")) return FieldValue(automatic_length);
  if (field.automatic && text == "off") return FieldValue(0.0);
  if (is_number(field.kind)) {
    const Result<double> number = parse_sum(text, units && field.kind == FieldKind::length);
    if (!number) return Issue{field.label + ": " + number.issue().what, "", {}, "choose " + range_of(field)};
    if (is_automatic(field, *number)) return refused(field, fmt::format("{}, out of range", *number));
    value = *number;
  } else if (is_vector(field.kind)) {
    Vec3 v;
    std::string_view rest = text;
    for (int k = 0; k < 3; ++k) {
      const auto comma = rest.find(',');
      if ((comma == std::string_view::npos) != (k == 2)) return refused(field, fmt::format("\"{}\"", text));
      const Result<double> number = parse_sum(rest.substr(0, comma), units && *unit_of(field.kind) != '\0');
      if (!number) return Issue{field.label + ": " + number.issue().what, "", {}, "choose " + range_of(field)};
      v[k] = *number;
      if (k < 2) rest.remove_prefix(comma + 1);
    }
    value = v;
  } else if (field.kind == FieldKind::toggle) {
    if (text != "on" && text != "off") return refused(field, fmt::format("\"{}\"", text));
    value = text == "on";
  } else {
    value = std::string(text);
  }
  if (auto issue = check_value(field, value)) return *issue;
  return value;
}

std::string to_text(const FieldValue& value) {
  if (const auto* number = std::get_if<double>(&value)) return fmt::format("{}", *number);
  if (const auto* on = std::get_if<bool>(&value)) return *on ? "on" : "off";
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  const Vec3& v = std::get<Vec3>(value);
  return fmt::format("{},{},{}", v.x(), v.y(), v.z());
}

std::string to_text(const Field& field, const FieldValue& value) { return is_automatic(field, value) ? std::string(automatic_word) : to_text(value); }

std::string in_words(const Field& field, const FieldValue& value) {
  if (is_automatic(field, value)) return std::string(automatic_word);
  if (const auto* number = std::get_if<double>(&value)) {
    const char* unit = unit_of(field.kind);
    return fmt::format("{:.6g}{}{}", *number, field.kind == FieldKind::angle || *unit == '\0' ? "" : " ", unit);
  }
  if (const auto* v = std::get_if<Vec3>(&value)) return fmt::format("{:.4g}, {:.4g}, {:.4g}", v->x(), v->y(), v->z());
  if (const auto* key = std::get_if<std::string>(&value))
    for (const FieldChoice& choice : field.choices)
      if (choice.key == *key) return field.kind != FieldKind::elements ? choice.label : field.min > 0 ? "none" : "all";
  // A text that names elements one by one is for programs.
  if (const auto* text = std::get_if<std::string>(&value); field.kind == FieldKind::elements && text->find(" at ") != std::string::npos) {
    const auto count = 1 + std::count(text->begin(), text->end(), ';');
    const std::string kind = text->substr(0, text->find(' '));
    return fmt::format("{} {}", count, count > 1 ? kind : kind == "vertices" ? "vertex" : kind.substr(0, kind.size() - 1));
  }
  if (const auto* text = std::get_if<std::string>(&value)) {
    if (field.kind == FieldKind::edges) return edge_rule_in_words(*text);
    if (field.kind == FieldKind::outline) return outline_in_words(*text);
    if (field.kind == FieldKind::path) return path_in_words(*text);
  }
  return to_text(value);
}

void add_to_key(std::string& key, const FieldValues& values) {
  auto put = [&](const void* data, std::size_t size) { key.append(static_cast<const char*>(data), size); };
  for (const FieldValue& value : values) {
    key += static_cast<char>('0' + value.index());
    if (const auto* number = std::get_if<double>(&value)) put(number, sizeof *number);
    if (const auto* on = std::get_if<bool>(&value)) key += *on ? '1' : '0';
    if (const auto* v = std::get_if<Vec3>(&value)) put(v->data(), 3 * sizeof(double));
    if (const auto* text = std::get_if<std::string>(&value)) {
      const std::size_t size = text->size();
      put(&size, sizeof size);
      key += *text;
    }
  }
}

const FieldValue& FieldReader::at(std::string_view key) const {
  const auto place = field_place(fields_, key);
  if (!place || *place >= values_->size()) throw std::logic_error("there is no field " + std::string(key));
  return (*values_)[*place];
}

namespace {

template <class T>
const T& as(const FieldValue& value) {
  const T* it = std::get_if<T>(&value);
  if (it == nullptr) throw std::logic_error("a field is asked for as another type");
  return *it;
}

}  // namespace

double FieldReader::number(std::string_view key) const { return as<double>(at(key)); }
std::optional<double> FieldReader::length(std::string_view key) const {
  const double number = as<double>(at(key));
  return number == automatic_length ? std::nullopt : std::optional(number);
}
bool FieldReader::on(std::string_view key) const { return as<bool>(at(key)); }
const std::string& FieldReader::text(std::string_view key) const { return as<std::string>(at(key)); }
const Vec3& FieldReader::vector(std::string_view key) const { return as<Vec3>(at(key)); }

}  // namespace anvil
