// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/boolean/combine.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <stdexcept>

#include "core/boolean/stages.h"

namespace anvil {
namespace {

using namespace boolean;
using Clock = std::chrono::steady_clock;

constexpr int most_rounds = 12;

struct Named {
  Operation operation;
  const char* key;
};
constexpr Named operations[] = {
    {Operation::unite, "union"}, {Operation::difference, "difference"}, {Operation::intersection, "intersection"}};

/// Times the stages and reports progress.
class Stages {
 public:
  Stages(BooleanReport& report, const Control& control) : report_(report), control_(control) {}
  template <class Work>
  auto operator()(const char* name, double until, Work work) {
    check_stop(control_);
    const auto begin = Clock::now();
    auto result = work();
    const double seconds = std::chrono::duration<double>(Clock::now() - begin).count();
    for (auto& stage : report_.stages)
      if (stage.name == name) {
        stage.seconds += seconds;
        return result;
      }
    report_.stages.push_back({name, seconds});
    if (control_.progress != nullptr) *control_.progress = until;
    return result;
  }

 private:
  BooleanReport& report_;
  const Control& control_;
};

/// One pass of stages 2 to 9.
Rounded arrange(const Soup& soup, const Inside& inside, Stages& stage, BooleanReport& report,
                const Control& control) {
  Arrangement arrangement(soup.points);
  Cuts cuts = stage("intersect", 0.4, [&] { return intersect(soup, arrangement.points, control); });
  stage("subdivide", 0.6, [&] {
    subdivide(soup, cuts, arrangement, control);
    return 0;
  });
  const Selection selection = stage("classify", 0.8, [&] { return classify(soup, arrangement, inside, control); });
  if (selection.patches_left_out > 0)
    report.done.push_back({"skins_left_out", selection.patches_left_out, ""});
  return stage("round", 0.85, [&] { return round_points(soup, arrangement, selection, false); });
}

std::string why_empty(const std::vector<Operand>& operands) {
  for (std::size_t k = operands.size(); k-- > 1;) {
    if (operands[k].operation == Operation::intersection) return "the parts have nothing in common";
    if (operands[k].operation == Operation::difference) break;
  }
  return operands.size() == 2 ? "the tool covers the whole part" : "the tools cover the whole part";
}

}  // namespace

const char* key_of(Operation operation) {
  for (const Named& n : operations)
    if (n.operation == operation) return n.key;
  return "";
}

Result<Operation> operation_named(const std::string& key) {
  for (const Named& n : operations)
    if (key == n.key) return n.operation;
  return Issue{fmt::format("there is no operation \"{}\"", key), "", {}, "use union, difference or intersection"};
}

namespace {

Result<BooleanResult> compute(const std::vector<Operand>& operands, const Control& control, const CombineSettings& settings) {
  const auto begin = Clock::now();
  BooleanResult result;
  if (operands.empty()) return Issue{"there is nothing to combine", "", {}, "choose at least one part"};
  Stages stage(result.report, control);
  Result<Soup> gathered = stage("gather", 0.1, [&] { return gather(operands, result.report, control); });
  if (!gathered) return gathered.issue();
  const Soup& soup = *gathered;

  const Inside inside = [&](std::span<const int> winding) {
    bool in = winding[0] != 0;
    for (std::size_t k = 1; k < operands.size(); ++k) {
      const bool other = winding[k] != 0;
      switch (operands[k].operation) {
        case Operation::unite: in = in || other; break;
        case Operation::difference: in = in && !other; break;
        case Operation::intersection: in = in && other; break;
      }
    }
    return in;
  };
  Box3 box;
  for (const Vec3& p : soup.points) box.add(p);
  const double extent = std::max(box.lo.cwiseAbs().maxCoeff(), box.hi.cwiseAbs().maxCoeff());
  const double contact = settings.contact < 0 ? 1e-6 * box.diagonal() : settings.contact;
  Soup met = soup;
  if (contact > 0) {
    const std::size_t touched = stage("contact", 0.2, [&] { return make_contact(met, contact, control); });
    if (touched > 0) result.report.done.push_back({"made_to_meet", touched, operands.front().name});
  }
  Rounded rounded = arrange(met, inside, stage, result.report, control);
  int rounds = 0;
  while (true) {
    std::vector<char> near = stage("settle", 0.9, [&] { return find_trouble(rounded, control); });
    if (near.empty()) break;
    if (++rounds > most_rounds) {
      result.report.done.push_back({"rounding_not_settled", 1, operands.front().name});
      break;
    }
    // Rounding brings near things to meet or cross; contact of a few units in the last place, more each
    // time, is what ends it.
    Soup again = soup_again(rounded, std::move(near));
    make_contact(again, std::min(std::ldexp(extent, -52 + 4 * rounds), 1e-7 * extent), control);
    rounded = arrange(again, [](std::span<const int> winding) { return winding[0] > 0; }, stage, result.report, control);
  }
  if (rounds > 0)
    result.report.done.push_back({"rounds_to_settle", static_cast<std::size_t>(rounds), operands.front().name});
  if (rounded.triangles.empty()) result.report.empty_reason = why_empty(operands);
  result.mesh = stage("assemble", 1, [&] { return assemble(soup, operands, std::move(rounded), result.report); });
  result.report.seconds = std::chrono::duration<double>(Clock::now() - begin).count();
  return result;
}

}  // namespace

Result<BooleanResult> combine(const std::vector<Operand>& operands, const Control& control, const CombineSettings& settings) {
  try {
    return compute(operands, control, settings);
  } catch (const std::logic_error& error) {
    return Issue{fmt::format("the combination contradicts itself ({})", error.what()), operands.back().name, {},
                 "move the tool slightly and please report the parts"};
  }
}

}  // namespace anvil
