#include "model/edit.h"
#include "base/error.h"
#include "base/text.h"
#include <fmt/format.h>

namespace hemline {
std::size_t stepMeant(const Job& job, const std::string& word, const std::string& where) {
  if (job.steps.empty())
    throw Error(Fault::Missing, "The job has no steps", where, "Add one: 'hemline-cli add', or make a first job with 'hemline-cli new'.");
  for (std::size_t k = 0; k < job.steps.size(); ++k)
    if (job.steps[k].name == word) return k;
  const bool digits = !word.empty() && word.size() < 6 && word.find_first_not_of("0123456789") == std::string::npos;
  const std::size_t number = digits ? std::stoul(word) : 0;
  if (number < 1 || number > job.steps.size())
    throw Error(Fault::Missing, "The job has no step '" + word + "'", where,
                fmt::format("Name a step, or give its number from 1 to {}.", job.steps.size()));
  return number - 1;
}

void setFields(Job& job, std::size_t step, const std::vector<std::string>& assignments, LengthUnit unit) {
  for (const std::string& one : assignments) {
    const auto equal = one.find('=');
    if (equal == std::string::npos)
      throw Error(Fault::NotUnderstood, "'" + one + "' sets nothing", "fields", "Give them as field=value, for instance cusp_mm=\"2 um\".");
    Step& s = job.steps.at(step);
    const StepField& f = fieldMeant(kindOf(s), trimmed(one.substr(0, equal)), "step '" + s.name + "'");
    f.type(job, s, one.substr(equal + 1), unit);
  }
}

Step stepLike(const Job& job, const StepKind& kind, std::size_t place) {
  Step s;
  s.name = kind.id, s.body = kind.body;
  if (!job.steps.empty()) {
    const Step& like = job.steps[place > 0 ? std::min(place, job.steps.size()) - 1 : 0];
    s.clamping = like.clamping, s.axis = like.axis, s.cutter = like.cutter, s.holder = like.holder, s.stickOut = like.stickOut;
    s.promises.gouge = like.promises.gouge, s.promises.clearance = like.promises.clearance;
    if (s.finishing() && like.finishing()) *s.finishing() = *like.finishing(), s.promises = like.promises;
  } else if (job.cutters.empty() || job.holders.empty()) {
    throw Error(Fault::Missing, "The job has no cutter or no holder yet", job.name,
                "Make a first job with 'hemline-cli new', or add them to the file.");
  } else {
    s.cutter = job.cutters.front().name, s.holder = job.holders.front().name;
  }
  for (int n = 2; std::any_of(job.steps.begin(), job.steps.end(), [&](const Step& other) { return other.name == s.name; }); ++n)
    s.name = fmt::format("{} {}", kind.id, n);
  return s;
}

} // namespace hemline
