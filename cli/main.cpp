// SPDX-License-Identifier: GPL-3.0-or-later
// clean-anvil-cli: the application's work on files, without a display. The contract is docs/cli.md.
#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <new>

#include "cli/commands.h"

int main(int argc, char** argv) {
  using namespace anvil::cli;
  CLI::App app{"Combine, check and convert solid meshes.", "clean-anvil-cli"};
  app.set_version_flag("--version", std::string("clean-anvil-cli ") + ANVIL_VERSION);
  app.require_subcommand(1);
  app.footer(
      "Formats by file ending: .stl .obj .ply .off .3mf, and .anvil for check, run and convert.\n"
      "Exit codes: 0 done (check: sound), 1 done but not sound, 2 bad input or usage, 3 the result is empty.");

  CheckRequest check;
  auto* check_command = app.add_subcommand("check", "Find every defect and say whether the meshes are sound");
  check_command->add_option("IN", check.inputs, "Mesh or job files")->required();
  check_command->add_option("--json", check.json, "Write the reports as JSON to FILE (- is standard output)");

  CombineRequest combine;
  auto* combine_command = app.add_subcommand("combine", "Combine parts by a Boolean operation");
  combine_command
      ->add_option("--op", combine.operation,
                   "union, difference (A minus all the others), intersection, split, partition, inlay, score, "
                   "trim-inside, trim-outside or gather")
      ->required();
  combine_command->add_option("PART", combine.inputs, "A B [C...]")->required();
  combine_command
      ->add_option("-o", combine.output,
                   "Output file; with {} in it, split, partition and inlay write one file per piece (1, 2, 3, ...)")
      ->required();
  combine_command
      ->add_option("--contact", combine.contact,
                   "What lies nearer than this length is made to meet; 0 turns it off (default: 1e-6 of the size)")
      ->check(CLI::NonNegativeNumber);
  combine_command->add_option("--json", combine.json,
                              "Write the report as JSON to FILE (- is standard output)");

  RunRequest run;
  auto* run_command = app.add_subcommand("run", "Carry out the recipes of a job and write the result");
  run_command->add_option("JOB", run.job, "Job file (.anvil)")->required();
  run_command->add_option("--part", run.part, "Name of the part; all visible parts when left out");
  run_command->add_option("-o", run.output, "Output file")->required();
  run_command->add_option("--json", run.json, "Write the report as JSON to FILE (- is standard output)");

  run_command->add_option("--set", run.set, "PART/STEP.FIELD=VALUE; STEP is its kind, its name or its number, or source");

  ApplyRequest apply;
  auto* apply_command = app.add_subcommand("apply", "Apply one kind of step to files; see steps");
  apply_command->add_option("STEP", apply.step, "Kind of step, such as plane-cut")->required();
  apply_command->add_option("IN", apply.inputs, "The part, then its tools")->required();
  apply_command->add_option("--set", apply.set, "FIELD=VALUE");
  apply_command->add_option("-o", apply.output, "Output file; with {} in it one file per piece (1, 2, 3, ...)")->required();
  apply_command->add_option("--json", apply.json, "Write the report as JSON to FILE (- is standard output)");

  MakeRequest make;
  auto* make_command = app.add_subcommand("make", "Make one kind of stock; see steps");
  make_command->add_option("KIND", make.kind, "Kind of stock, such as box")->required();
  make_command->add_option("--set", make.set, "FIELD=VALUE");
  make_command->add_option("-o", make.output, "Output file")->required();
  make_command->add_option("--json", make.json, "Write the report as JSON to FILE (- is standard output)");

  StepsRequest steps;
  auto* steps_command = app.add_subcommand("steps", "List all kinds of steps and stock, or the fields of one");
  steps_command->add_option("KEY", steps.key, "A step or a kind of stock");
  steps_command->add_option("--json", steps.json, "Write the list as JSON to FILE (- is standard output)");

  ConvertRequest convert;
  auto* convert_command = app.add_subcommand("convert", "Convert between formats");
  convert_command->add_option("IN", convert.input, "Mesh or job file")->required();
  convert_command->add_option("OUT", convert.output, "Output file")->required();

  for (CLI::App* command : {apply_command, make_command, run_command})
    command->get_option("--set")->expected(1)->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    if (error.get_exit_code() == 0) return app.exit(error);
    fmt::print(stderr, "clean-anvil-cli: {}; see --help\n", error.what());
    return bad_input;
  }
  try {
    if (*check_command) return run_check(check);
    if (*combine_command) return run_combine(combine);
    if (*run_command) return run_recipe(run);
    if (*apply_command) return run_apply(apply);
    if (*make_command) return run_make(make);
    if (*steps_command) return run_steps(steps);
    return run_convert(convert);
  } catch (const std::bad_alloc&) {
    fmt::print(stderr, "clean-anvil-cli: there is not enough memory; use smaller files\n");
    return bad_input;
  }
}
