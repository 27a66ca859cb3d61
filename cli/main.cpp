// SPDX-License-Identifier: GPL-3.0-or-later
// clean-anvil-cli: the application's work on files, without a display. The contract is docs/cli.md.
#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <new>

#include "cli/commands.h"
#include "cli/stop_by_signal.h"
#include "core/control.h"

namespace {

/// Options that all subcommands have which write a mesh.
void add_output(CLI::App& command, anvil::cli::WriteRequest& request, const char* about) {
  command.add_option("-o", request.output, about)->required();
  command.add_option("--json", request.json, "Write the report as JSON to FILE (- is standard output)");
}
void add_faces(CLI::App& command, anvil::cli::WriteRequest& request) {
  command
      .add_option("--faces", request.faces,
                  "What is written to OBJ, PLY and OFF: polygons as they are, convex ones that every reader cuts into a sound "
                  "mesh, or triangles (default: convex; STL and 3MF are triangles)")
      ->check(CLI::IsMember({"polygons", "convex", "triangles"}));
}

}  // namespace

int main(int argc, char** argv) {
  using namespace anvil::cli;
  CLI::App app{"Combine, check and convert solid meshes.", "clean-anvil-cli"};
  app.set_version_flag("--version", std::string("clean-anvil-cli ") + ANVIL_VERSION);
  app.require_subcommand(1);
  app.footer(
      "Formats by file ending: .stl .obj .ply .off .3mf, and .anvil for check, mend, run and convert.\n"
      "Exit codes: 0 done (check: sound), 1 done but not sound, 2 bad input or usage, 3 the result is empty.");

  CheckRequest check;
  auto* check_command = app.add_subcommand("check", "Find every defect and say whether the meshes are sound");
  check_command->add_option("IN", check.inputs, "Mesh or job files")->required();
  check_command->add_flag("--any-reader", check.any_reader, "Judge by the harshest reading: every polygon cut by a fan from each corner in turn");
  check_command->add_option("--json", check.json, "Write the reports as JSON to FILE (- is standard output)");

  CombineRequest combine;
  auto* combine_command = app.add_subcommand("combine", "Combine parts by a Boolean operation");
  combine_command
      ->add_option("--op", combine.operation,
                   "union, difference (A minus all the others), intersection, split, partition, inlay, score, "
                   "trim-inside, trim-outside or gather")
      ->required();
  combine_command->add_option("PART", combine.inputs, "A B [C...]")->required();
  add_output(*combine_command, combine, "Output file; with {} in it, split, partition and inlay write one file per piece (1, 2, 3, ...)");
  combine_command
      ->add_option("--contact", combine.contact,
                   "What lies nearer than this length is made to meet; 0 turns it off (default: 1e-6 of the size)");

  RunRequest run;
  auto* run_command = app.add_subcommand("run", "Carry out the recipes of a job and write the result");
  run_command->add_option("JOB", run.job, "Job file (.anvil)")->required();
  run_command->add_option("--part", run.part, "Name of the part; all visible parts when left out");
  add_output(*run_command, run, "Output file");

  run_command->add_option("--set", run.set, "PART/STEP.FIELD=VALUE; STEP is its kind, its name or its number, or source");

  ApplyRequest apply;
  auto* apply_command = app.add_subcommand("apply", "Apply one kind of step to files; see steps");
  apply_command->add_option("STEP", apply.step, "Kind of step, such as plane-cut")->required();
  apply_command->add_option("IN", apply.inputs, "The part, then its tools")->required();
  apply_command->add_option("--set", apply.set, "FIELD=VALUE");
  add_output(*apply_command, apply, "Output file; with {} in it one file per piece (1, 2, 3, ...)");

  MendRequest mend;
  auto* mend_command = app.add_subcommand("mend", "Find every defect and repair it");
  mend_command->add_option("IN", mend.input, "Mesh or job file")->required();
  mend_command->add_option("-o", mend.output, "Output file; needed without --plan");
  mend_command->add_flag("--plan", mend.plan, "Print what would be done, in order, and write nothing");
  mend_command->add_option("--only", mend.only, "Families of defects to mend, separated by commas, as check names them")->delimiter(',');
  mend_command->add_option("--set", mend.set, "FIELD=VALUE; see: steps mend");
  mend_command->add_option("--json", mend.json, "Write the report as JSON to FILE (- is standard output)");

  MakeRequest make;
  auto* make_command = app.add_subcommand("make", "Make one kind of stock; see steps");
  make_command->add_option("KIND", make.kind, "Kind of stock, such as box")->required();
  make_command->add_option("--set", make.set, "FIELD=VALUE");
  add_output(*make_command, make, "Output file");

  StepsRequest steps;
  auto* steps_command = app.add_subcommand("steps", "List all kinds of steps and stock, or the fields of one");
  steps_command->add_option("KEY", steps.key, "A step or a kind of stock");
  steps_command->add_option("--json", steps.json, "Write the list as JSON to FILE (- is standard output)");

  ConvertRequest convert;
  auto* convert_command = app.add_subcommand("convert", "Convert between formats");
  convert_command->add_option("IN", convert.input, "Mesh or job file")->required();
  convert_command->add_option("OUT", convert.output, "Output file")->required();

  add_faces(*combine_command, combine);
  add_faces(*apply_command, apply);
  add_faces(*mend_command, mend);
  add_faces(*make_command, make);
  add_faces(*run_command, run);
  add_faces(*convert_command, convert);
  for (CLI::App* command : {apply_command, mend_command, make_command, run_command})
    command->get_option("--set")->expected(1)->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    if (error.get_exit_code() == 0) return app.exit(error);
    fmt::print(stderr, "clean-anvil-cli: {}; see --help\n", error.what());
    return bad_input;
  }
  StopBySignal stop;
  try {
    if (*check_command) return run_check(check, stop.token());
    if (*combine_command) return run_combine(combine, stop.token());
    if (*run_command) return run_recipe(run, stop.token());
    if (*apply_command) return run_apply(apply, stop.token());
    if (*mend_command) return run_mend(mend, stop.token());
    if (*make_command) return run_make(make, stop.token());
    if (*steps_command) return run_steps(steps);
    return run_convert(convert, stop.token());
  } catch (const anvil::Stopped&) {
    return stop.end_by_signal();
  } catch (const std::bad_alloc&) {
    fmt::print(stderr, "clean-anvil-cli: there is not enough memory; use smaller files\n");
    return bad_input;
  }
}
