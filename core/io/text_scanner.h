// SPDX-License-Identifier: GPL-3.0-or-later
// Words and numbers of a text file, with the line they stand in for error messages.
#pragma once

#include <fmt/format.h>

#include <charconv>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <string>
#include <string_view>

#include "core/io/bytes.h"

namespace anvil {

inline std::string_view without_byte_order_mark(std::string_view text) {
  if (text.size() >= 2 &&
      ((text[0] == '\xFF' && text[1] == '\xFE') || (text[0] == '\xFE' && text[1] == '\xFF')))
    throw BadFile{"byte 0: the text is UTF-16", "save it as UTF-8 or plain ASCII text"};
  if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
  return text;
}

class TextScanner {
 public:
  explicit TextScanner(std::string_view text, char comment = '\0')
      : rest_(without_byte_order_mark(text)), comment_(comment) {}

  std::size_t line() const { return line_; }
  std::size_t bytes_left() const { return rest_.size(); }

  /// Next word anywhere in the rest of the file; empty at the end.
  std::string_view word() {
    for (;;) {
      skip_blanks();
      if (rest_.empty()) return {};
      if (!ends_line(rest_[0])) return take_word();
      take_line_end();
    }
  }

  /// Next word of the current line; empty at the line's end. A backslash at the end joins lines.
  std::string_view word_in_line() {
    skip_blanks();
    while (rest_.size() >= 2 && rest_[0] == '\\' && ends_line(rest_[1])) {
      rest_.remove_prefix(1);
      take_line_end();
      skip_blanks();
    }
    return rest_.empty() || ends_line(rest_[0]) ? std::string_view{} : take_word();
  }

  /// The rest of the current line without blanks around it, whatever marks comments elsewhere.
  std::string_view rest_of_line() {
    std::string_view text = rest_.substr(0, rest_.find_first_of("\r\n"));
    rest_.remove_prefix(text.size());
    while (!text.empty() && blank(text.front())) text.remove_prefix(1);
    while (!text.empty() && blank(text.back())) text.remove_suffix(1);
    return text;
  }

  /// Moves past the end of the current line; false at the end of the file.
  bool next_line() {
    const auto end = rest_.find_first_of("\r\n");
    if (end == std::string_view::npos) {
      rest_ = {};
      return false;
    }
    rest_.remove_prefix(end);
    take_line_end();
    return !rest_.empty();
  }

  double number(std::string_view word, const char* what) const {
    if (!word.empty() && word[0] == '+') word.remove_prefix(1);
    double value = 0;
    const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), value);
    if (word.empty()) fail(fmt::format("{} is missing", what), "the file may be cut short: export it again");
    if (error == std::errc::result_out_of_range && end == word.data() + word.size())
      // Too large, or too small to be told from 0. (strtod would read by the locale's decimal sign.)
      value = is_tiny(word) ? 0 : std::numeric_limits<double>::infinity();
    else if (error != std::errc{} || end != word.data() + word.size())
      fail(fmt::format("{} should be a number, not \"{}\"", what, shown(word)), "correct it or export again");
    if (!std::isfinite(value))
      fail(fmt::format("{} is {}, not a finite number", what, shown(word)), "correct it or export again");
    return value;
  }

  /// A finite number, where a word is one.
  static std::optional<double> maybe_number(std::string_view word) {
    if (!word.empty() && word[0] == '+') word.remove_prefix(1);
    double value = 0;
    const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), value);
    if (word.empty() || error != std::errc{} || end != word.data() + word.size() || !std::isfinite(value)) return std::nullopt;
    return value;
  }

  long long integer(std::string_view word, const char* what) const {
    long long value = 0;
    const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), value);
    if (word.empty()) fail(fmt::format("{} is missing", what), "the file may be cut short: export it again");
    if (error != std::errc{} || end != word.data() + word.size())
      fail(fmt::format("{} should be a whole number, not \"{}\"", what, shown(word)),
           "correct it or export again");
    return value;
  }

  [[noreturn]] void fail(const std::string& what, const std::string& remedy) const {
    throw BadFile{fmt::format("line {}: {}", line_, what), remedy};
  }

  /// A word as it can stand in a message: short and printable.
  static std::string shown(std::string_view word) {
    std::string text;
    for (char c : word.substr(0, 24)) text += c >= ' ' && c < 127 ? c : '?';
    return word.size() > 24 ? text + "..." : text;
  }

 private:
  /// Is a number that does not fit a double too small for it, rather than too large? By the place of its first digit that
  /// is not 0, and its exponent.
  static bool is_tiny(std::string_view word) {
    const std::size_t e = std::min(word.find_first_of("eE"), word.size());
    const std::string_view mantissa = word.substr(0, e);
    long long exponent = 0;
    if (e < word.size()) {
      std::string_view digits = word.substr(e + 1);
      if (!digits.empty() && digits[0] == '+') digits.remove_prefix(1);
      if (std::from_chars(digits.data(), digits.data() + digits.size(), exponent).ec != std::errc())
        return !digits.empty() && digits[0] == '-';  // more digits than anyone needs
    }
    const std::size_t first = mantissa.find_first_of("123456789"), point = std::min(mantissa.find('.'), mantissa.size());
    if (first == std::string_view::npos) return true;
    return exponent + static_cast<long long>(point) - static_cast<long long>(first) < 0;
  }

  static bool blank(char c) { return c == ' ' || c == '\t' || c == '\v' || c == '\f'; }
  /// Lines end as they do on any system: with \n, with \r\n, with \r alone.
  static bool ends_line(char c) { return c == '\n' || c == '\r'; }
  void take_line_end() {
    rest_.remove_prefix(rest_.starts_with("\r\n") ? 2 : 1);
    ++line_;
  }

  void skip_blanks() {
    std::size_t n = 0;
    while (n < rest_.size() && blank(rest_[n])) ++n;
    if (comment_ != '\0' && n < rest_.size() && rest_[n] == comment_)
      while (n < rest_.size() && !ends_line(rest_[n])) ++n;
    rest_.remove_prefix(n);
  }

  std::string_view take_word() {
    std::size_t n = 0;
    while (n < rest_.size() && !blank(rest_[n]) && !ends_line(rest_[n])) ++n;
    const std::string_view word = rest_.substr(0, n);
    rest_.remove_prefix(n);
    return word;
  }

  std::string_view rest_;
  char comment_;
  std::size_t line_ = 1;
};

}  // namespace anvil
