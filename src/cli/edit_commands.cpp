#include "edit_commands.h"
#include "base/file_lock.h"
#include "in_hand.h"
#include "model/describe.h"
#include "model/edit.h"
#include <fmt/format.h>

namespace hemline {

struct EditCommands::Said {
  CLI::App *add, *set, *remove, *move, *show, *kinds;
  std::string job, kind, step, before, unit = "mm";
  std::vector<std::string> fields;
  bool markdown = false, schema = false;
};

namespace {

void print(const std::vector<std::string>& lines) {
  for (const std::string& line : lines) std::printf("%s\n", line.c_str());
}

/// What can be said of the job as it is now, without computing it.
void lookAt(const Job& job, std::size_t step, LengthUnit unit) {
  std::printf("%zu. %s  [%s]\n   %s\n", step + 1, job.steps[step].name.c_str(), kindOf(job.steps[step]).id.c_str(),
              sentenceText(job, job.steps[step], unit).c_str());
  if (const auto fault = mountFault(job, job.steps[step]))
    std::printf("   cannot be mounted: %s. %s\n", fault->what.c_str(), fault->remedy.c_str());
}

/// Changes a copy, checks it, and writes it in the job's place.
template <class Change> int changed(const std::string& path, const Change& change) {
  const FileLock lock = inHand(path);
  Job job = readJob(path);
  change(job);
  checkJob(job);
  writeJob(path, job);
  return 0;
}

LengthUnit unitOf(const std::string& word) {
  if (word == "mm") return LengthUnit::Millimetre;
  if (word == "inch") return LengthUnit::Inch;
  throw Error(Fault::NotUnderstood, "The unit '" + word + "' is not known", "--unit", "Use mm or inch.");
}

} // namespace

EditCommands::EditCommands(CLI::App& app) : said_(std::make_unique<Said>()) {
  Said& s = *said_;
  const auto command = [&](const char* name, const char* what) {
    auto* c = app.add_subcommand(name, what);
    c->add_option("job", s.job, "job file (.hemline)")->required();
    c->add_option("--unit", s.unit, "unit of lengths that are typed without one, and of those shown: mm (default) or inch");
    return c;
  };
  s.add = command("add", "Add a step of a kind to a job; it starts from its neighbour");
  s.add->add_option("kind", s.kind, "kind of step: 'hemline-cli kinds' lists them")->required();
  s.add->add_option("--before", s.before, "the step that it comes before, by number or name (default: the end)");
  s.add->add_option("--set", s.fields, "field=value, as many as wanted: --set cusp_mm=\"2 um\" angle_deg=45");
  s.set = command("set", "Change fields of a step, typed as in the window: \"2 um\", \"1/8 in\", \"3*0.2\", \"12 deg\"");
  s.set->add_option("step", s.step, "number or name of the step")->required();
  s.set->add_option("fields", s.fields, "field=value, as many as wanted")->required();
  s.remove = command("remove", "Take a step out of a job");
  s.remove->add_option("step", s.step, "number or name of the step")->required();
  s.move = command("move", "Put a step elsewhere in the order");
  s.move->add_option("step", s.step, "number or name of the step")->required();
  s.move->add_option("--before", s.before, "the step that it comes before, by number or name (default: the end)");
  s.show = command("show", "Say what the steps of a job are; of one step all fields, with unit, first value and meaning");
  s.show->add_option("step", s.step, "number or name of a step");
  s.kinds = app.add_subcommand("kinds", "List the kinds of step: what each does, when to pick it, its fields");
  s.kinds->add_option("kind", s.kind, "only this one");
  s.kinds->add_flag("--markdown", s.markdown, "as the tables of docs/job-format.md");
  s.kinds->add_flag("--schema", s.schema, "the schema of the job file on standard input, with the steps as they are now");
}

EditCommands::~EditCommands() = default;

std::optional<int> EditCommands::run() {
  const Said& s = *said_;
  const LengthUnit unit = unitOf(s.unit);
  if (s.kinds->parsed()) {
    if (s.markdown) {
      std::fputs(kindsMarkdown().c_str(), stdout);
    } else if (s.schema) {
      const std::string given((std::istreambuf_iterator<char>(std::cin)), {});
      std::printf("%s\n", withStepSchema(parseJson(given, "The schema", "standard input", "Give docs/job.schema.json.")).dump(1).c_str());
    } else {
      for (const StepKind& kind : stepKinds())
        if (s.kind.empty() || stepKind(s.kind, "kinds").id == kind.id) print(kindText(kind));
    }
    return 0;
  }
  if (s.show->parsed()) {
    const Job job = readJob(s.job);
    if (!s.step.empty()) {
      print(stepText(job, stepMeant(job, s.step, s.job), unit));
      return 0;
    }
    std::printf("%s: %zu steps\n", s.job.c_str(), job.steps.size());
    for (std::size_t k = 0; k < job.steps.size(); ++k) lookAt(job, k, unit);
    return 0;
  }
  if (s.add->parsed())
    return changed(s.job, [&](Job& job) {
      const std::size_t place = s.before.empty() ? job.steps.size() : stepMeant(job, s.before, s.job);
      job.steps.insert(job.steps.begin() + static_cast<std::ptrdiff_t>(place), stepLike(job, stepKind(s.kind, s.job), place));
      setFields(job, place, s.fields, unit);
      checkJob(job);
      lookAt(job, place, unit);
    });
  if (s.set->parsed())
    return changed(s.job, [&](Job& job) {
      const std::size_t step = stepMeant(job, s.step, s.job);
      setFields(job, step, s.fields, unit);
      checkJob(job);
      lookAt(job, step, unit);
    });
  if (s.remove->parsed())
    return changed(s.job, [&](Job& job) {
      const std::size_t step = stepMeant(job, s.step, s.job);
      if (job.steps.size() == 1) throw Error(Fault::OutOfRange, "A job needs at least one step", s.job, "Add another one first.");
      std::printf("removed: %s\n", job.steps[step].name.c_str());
      job.steps.erase(job.steps.begin() + static_cast<std::ptrdiff_t>(step));
    });
  if (s.move->parsed())
    return changed(s.job, [&](Job& job) {
      const std::size_t from = stepMeant(job, s.step, s.job);
      const std::size_t before = s.before.empty() ? job.steps.size() : stepMeant(job, s.before, s.job);
      const Step step = job.steps[from];
      job.steps.erase(job.steps.begin() + static_cast<std::ptrdiff_t>(from));
      const std::size_t place = before > from ? before - 1 : before;
      job.steps.insert(job.steps.begin() + static_cast<std::ptrdiff_t>(place), step);
      checkJob(job);
      for (std::size_t k = 0; k < job.steps.size(); ++k) std::printf("%zu. %s\n", k + 1, job.steps[k].name.c_str());
    });
  return std::nullopt;
}

} // namespace hemline
