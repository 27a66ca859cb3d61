// SPDX-License-Identifier: GPL-3.0-or-later
// Fields: one description, from which range check, text and cache key come.
#include "core/fields.h"

#include <array>
#include <cmath>
#include <set>

#include "tests/support/meshes.h"

using namespace anvil;

namespace {

/// One field of every kind.
const std::vector<Field> every_kind = {
    length_field("width", "Width", 2.5, "A length."),
    angle_field("turn", "Turn", 30, "An angle.", -90, 90),
    count_field("sides", "Sides", 6, 3, 64, "A count."),
    share_field("keep", "Keep", 0.5, 0, 1, "A share."),
    choice_field("side", "Side", "above", {{"above", "above it"}, {"below", "below it"}}, "A choice."),
    toggle_field("cap", "Cap", true, "A switch."),
    point_field("point", "Point", {1, 2, 3}, "A point."),
    direction_field("normal", "Normal", {0, 0, 1}, "A direction.", "point"),
    axis_field("axis", "Axis", {1, 0, 0}, "An axis.", "point"),
    elements_field("edges", "Edges", {"edges"}, 1, 0, "Which edges."),
};

std::string refusal(const char* key, const std::string& text) {
  const Field& field = every_kind[*field_place(every_kind, key)];
  const auto value = parse_value(field, text);
  REQUIRE_FALSE(value);
  CHECK_FALSE(value.issue().remedy.empty());
  return value.issue().message();
}

}  // namespace

TEST_CASE("every kind of field reads back what it writes") {
  const FieldValues values = initial_values(every_kind);
  REQUIRE_FALSE(check_values(every_kind, values));
  for (std::size_t k = 0; k < every_kind.size(); ++k) {
    INFO(every_kind[k].key);
    const auto back = parse_value(every_kind[k], to_text(values[k]));
    REQUIRE(back);
    CHECK(*back == values[k]);
    CHECK_FALSE(range_of(every_kind[k]).empty());
    CHECK_FALSE(in_words(every_kind[k], values[k]).empty());
  }
  CHECK(std::get<double>(*parse_value(every_kind[0], to_text(FieldValue(1.0 / 3)))) == 1.0 / 3);
}

TEST_CASE("what is out of range or of the wrong kind is refused with field and range named") {
  CHECK(refusal("width", "0").find("Width is 0") != std::string::npos);
  CHECK(refusal("width", "0").find("1000000 mm") != std::string::npos);
  CHECK(refusal("width", "nan").find("Width") != std::string::npos);
  CHECK(refusal("turn", "91").find("-90 to 90 °") != std::string::npos);
  CHECK(refusal("sides", "6.5").find("whole number from 3 to 64") != std::string::npos);
  CHECK(refusal("side", "beside").find("above or below") != std::string::npos);
  CHECK(refusal("cap", "yes").find("on or off") != std::string::npos);
  CHECK(refusal("point", "1,2").find("three numbers") != std::string::npos);
  CHECK(refusal("point", "1,2,3,4").find("three numbers") != std::string::npos);
  CHECK(refusal("point", "9999999999999,0,0").find("10000000") != std::string::npos);
  CHECK(refusal("normal", "0,0,0").find("points nowhere") != std::string::npos);
  FieldValues values = initial_values(every_kind);
  values[0] = true;
  CHECK(check_values(every_kind, values)->message().find("not a length") != std::string::npos);
  values.pop_back();
  CHECK(check_values(every_kind, values)->message().find("needs 10 values") != std::string::npos);
}

TEST_CASE("numbers may be sums, with units where those are asked for") {
  CHECK(*parse_sum("12+0.4", false) == 12.4);
  CHECK(*parse_sum(" 12 - 2 - -1 ", false) == 11);
  CHECK(*parse_sum("-3", false) == -3);
  CHECK(*parse_sum("1in", true) == 25.4);
  CHECK(*parse_sum("2cm + 1 in - 0.4mm", true) == Approx(45));
  CHECK(*parse_sum("1m", true) == 1000);
  for (const char* bad : {"", "+", "1+", "1 2", "1in", "abc", "1e999", "inf", "0x10"}) {
    INFO(bad);
    CHECK_FALSE(parse_sum(bad, false));
  }
}

TEST_CASE("cache keys tell all values apart, also those that look alike") {
  std::set<std::string> keys;
  std::size_t made = 0;
  auto add = [&](const FieldValues& values) {
    std::string key;
    add_to_key(key, values);
    keys.insert(key);
    ++made;
  };
  add({0.0, 1.0});
  add({1.0, 0.0});
  add({0.0, std::nextafter(1.0, 2.0)});
  add({true, 1.0});
  add({false, 1.0});
  add({std::string("a"), std::string("bc")});
  add({std::string("ab"), std::string("c")});
  add({Vec3(1, 2, 3)});
  add({1.0, 2.0, 3.0});
  CHECK(keys.size() == made);
}

TEST_CASE("asking for a field that is not there or as another type is a programming error") {
  const FieldValues values = initial_values(every_kind);
  const FieldReader reader(every_kind, values);
  CHECK(reader.number("width") == 2.5);
  CHECK(reader.on("cap"));
  CHECK(reader.text("side") == "above");
  CHECK(reader.vector("point") == Vec3(1, 2, 3));
  CHECK_THROWS_AS(reader.number("height"), std::logic_error);
  CHECK_THROWS_AS(reader.number("cap"), std::logic_error);
}

TEST_CASE("chosen elements are told by their number, not by the text that programs keep") {
  const Field& edges = every_kind.back();
  CHECK(in_words(edges, std::string("edges")) == "none");
  CHECK(in_words(edges, std::string("edges all")) == "edges all");
  CHECK(in_words(edges, std::string("edges at 1,2,3 from 0:1 with 1,0,0")) == "1 edge");
  CHECK(in_words(edges, std::string("vertices at 1,2,3")) == "1 vertex");
  CHECK(in_words(edges, std::string("faces at 1,2,3; 4,5,6; 7,8,9")) == "3 faces");
  CHECK(range_of(edges).find("edges at x,y,z") != std::string::npos);
}

TEST_CASE("round lengths one after the other, up and down, from any length") {
  double length = 0.8;
  for (const double next : {1.0, 1.5, 2.0, 3.0, 5.0, 7.0, 10.0, 15.0}) {
    length = next_grade(length, true);
    CHECK(length == Approx(next));
  }
  for (const double next : {10.0, 7.0, 5.0, 3.0, 2.0, 1.5, 1.0, 0.7}) {
    length = next_grade(length, false);
    CHECK(length == Approx(next));
  }
  CHECK(next_grade(1.2e-6, false) == Approx(1e-6));
  CHECK(next_grade(9.99e5, true) == Approx(1e6));
}

TEST_CASE("grouped digits are read as what they are or refused, and a decimal comma stays one") {
  const auto typed = [](const char* text) { return parse_typed_sum(text, true); };
  CHECK(*typed("12,5") == 12.5);
  CHECK(*typed("0,125") == 0.125);
  CHECK(*typed("1,250,000") == 1250000);
  CHECK(*typed("1,250.5") == 1250.5);
  CHECK(*typed("-2,000,000.25 + 1,5") == -2000000.25 + 1.5);
  CHECK(*typed("1250,75") == 1250.75);
  CHECK(*typed("12,5 cm") == 125);
  // May be either; groups that are none; more than one comma.
  for (const char* text : {"1,000", "-1,250", "999,999", "1,00,000", "1,2,3", "1.000,5", "1,000,00", ",5,"}) {
    INFO(text);
    CHECK_FALSE(typed(text));
  }
}

TEST_CASE("a length that may be left to the program is auto, a length, or 0, and nothing below") {
  const Field contact = automatic(length_field("contact", "Contact", 0, "", 0));
  const auto read = [&](const char* text) { return std::get<double>(*parse_value(contact, text)); };
  CHECK(contact.initial == FieldValue(automatic_length));
  CHECK(read("auto") == automatic_length);
  CHECK(read("0") == 0);
  CHECK(read("off") == 0);
  CHECK(read("0.02") == 0.02);
  for (const char* text : {"-1", "-0.5", "nan", "automatic", ""}) CHECK_FALSE(parse_value(contact, text));
  CHECK(to_text(contact, automatic_length) == "auto");
  CHECK(in_words(contact, automatic_length) == "auto");
  CHECK(range_of(contact).ends_with("or auto"));
  const std::array<Field, 1> fields{contact};
  const FieldValues left = initial_values(fields), none{0.0};
  CHECK(FieldReader(fields, left).length("contact") == std::nullopt);
  CHECK(FieldReader(fields, none).length("contact") == 0.0);
  // No other length can be left.
  CHECK_FALSE(parse_value(length_field("width", "Width", 1, ""), "auto"));
}
