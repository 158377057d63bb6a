// The fields that all kinds of step have, and the list of the kinds.
#include "model/fields.h"
#include "cutter/mount.h"
#include "model/field_table.h"
#include <cmath>
#include <fmt/format.h>

namespace hemline {
namespace {

using nlohmann::json;

/// A holder that does not take the cutter is exchanged for one of the job that does; the stick-out follows what can be mounted.
void mountAgain(const Job& j, Step& s, bool anyHolder) {
  if (const auto range = stickOuts(j.cutter(s.cutter), j.holder(s.holder)))
    s.stickOut = std::clamp(s.stickOut, range->least, range->most);
  else if (const auto mount = anyHolder ? mountFor(j.cutter(s.cutter), j.holders, s.stickOut) : std::nullopt)
    s.holder = mount->holder->name, s.stickOut = mount->stickOut;
}

/// One of a list of the job, by name.
template <class List> StepField nameField(StepField f, std::string Step::*value, List Job::*list, bool anyHolder) {
  f.needed = true, f.schema = {{"type", "string"}};
  f.get = [value](const Step& s) { return json(s.*value); };
  f.read = [value, n = f.name](Step& s, const Reader& r) { s.*value = r.needText(n.c_str()); };
  f.show = [value](const Job&, const Step& s, LengthUnit) { return s.*value; };
  f.choices = [list](const Job& j, const Step&) {
    std::vector<std::string> l;
    for (const auto& one : j.*list) l.push_back(one.name);
    return l;
  };
  f.type = [value, anyHolder, choices = f.choices, label = f.label](Job& j, Step& s, const std::string& t, LengthUnit) {
    const auto there = choices(j, s);
    if (std::find(there.begin(), there.end(), trimmed(t)) == there.end())
      refuse("There is no " + label + " '" + t + "' in the job", label,
             "Add it to the job, or choose one of: " + joined(there, "; ") + ".");
    s.*value = trimmed(t);
    mountAgain(j, s, anyHolder);
  };
  return f;
}

StepField clampingField(StepField f) {
  f.schema = {{"type", "integer"}, {"minimum", 1}};
  f.get = [](const Step& s) { return json(s.clamping + 1); };
  f.read = [](Step& s, const Reader& r) {
    const double n = r.number("clamping", 1);
    if (n != std::floor(n)) r.fail("clamping", "a number from 1");
    s.clamping = static_cast<int>(n) - 1;
  };
  f.show = [](const Job& j, const Step& s, LengthUnit) {
    const auto k = static_cast<std::size_t>(s.clamping);
    return k < j.clampings.size() ? j.clampings[k].name : std::to_string(s.clamping + 1);
  };
  f.choices = [](const Job& j, const Step&) {
    std::vector<std::string> l;
    for (const Clamping& c : j.clampings) l.push_back(c.name);
    return l;
  };
  f.type = [choices = f.choices, label = f.label](Job& j, Step& s, const std::string& t, LengthUnit) {
    const auto there = choices(j, s);
    const auto named = std::find(there.begin(), there.end(), trimmed(t));
    const auto number = named == there.end() ? parseNumber(t) : std::optional<double>(named - there.begin() + 1);
    if (!number || *number < 1 || *number > static_cast<double>(there.size()) || *number != std::floor(*number))
      refuse("There is no clamping '" + t + "'", label, "Choose one of: " + joined(there, "; ") + ".");
    s.clamping = static_cast<int>(*number) - 1;
  };
  return f;
}

/// Spindle speed or feed, which come from the cutter's data where the step says 0.
StepField conditionField(StepField f, double Step::*value, const char* unit, const char* from, bool isFeed) {
  const Range range = rangeOf(f.name);
  f.nudge = 1.1;
  f.schema = {{"type", "number"}, {"minimum", range.least}, {"maximum", range.greatest}};
  f.get = [value](const Step& s) { return json(s.*value); };
  f.read = [value, n = f.name](Step& s, const Reader& r) { s.*value = r.number(n.c_str(), s.*value); };
  f.show = [value, unit, from, isFeed](const Job& j, const Step& s, LengthUnit lengths) {
    double rpm = 0, feed = 0;
    conditions(s, j.cutter(s.cutter), kInfinity, rpm, feed); // a slower spindle shows in what is measured
    const std::string shown = isFeed ? formatFeed(feed, lengths) : fmt::format("{:.0f} {}", rpm, unit);
    return s.*value > 0 ? shown : fmt::format("\u2264 {} ({})", shown, from);
  };
  f.type = [value, range, unit, from, isFeed, label = f.label](Job&, Step& s, const std::string& t, LengthUnit lengths) {
    if (t.find(from) != std::string::npos) {
      s.*value = 0;
      return;
    }
    const bool told = t.find("mm/min") != std::string::npos, inches = t.find("in/min") != std::string::npos && !told;
    const double scale = isFeed && (inches || (!told && lengths == LengthUnit::Inch)) ? kInch : 1;
    auto v = parseNumber(trimmed(without(without(t, "in/min"), unit)));
    if (v) *v *= scale;
    if (!v || !(*v >= range.least && *v <= range.greatest))
      refuse("\"" + t + "\" is not a " + label, label,
             fmt::format("Type {} from {:g} to {:g}; 0 takes it from the cutter's data.", scale > 1 ? "in/min" : unit, range.least / scale,
                         range.greatest / scale));
    s.*value = *v;
  };
  return f;
}

StepField axisField(StepField f) {
  f.schema = {{"type", "array"}, {"items", {{"type", "number"}}}, {"minItems", 3}, {"maxItems", 3}};
  f.get = [](const Step& s) { return triple(s.axis); };
  f.read = [](Step& s, const Reader& r) {
    const Vec3 axis = r.vec("axis", s.axis);
    if (!(axis.norm() > 1e-9)) r.fail("axis", "a direction");
    s.axis = axis.normalized();
  };
  f.show = [](const Job&, const Step& s, LengthUnit) { return plainNumbers({s.axis.x(), s.axis.y(), s.axis.z()}); };
  f.type = [label = f.label](Job&, Step& s, const std::string& t, LengthUnit) {
    const auto v = readLists(t, 3, label, "Type it as \"0, 0, 1\".");
    if (v.size() != 1 || !(Vec3(v[0][0], v[0][1], v[0][2]).norm() > 1e-9))
      refuse("\"" + t + "\" is no direction", label, "Type it as \"0, 0, 1\".");
    s.axis = Vec3(v[0][0], v[0][1], v[0][2]).normalized();
  };
  return f;
}

std::vector<StepField> common() {
  std::vector<StepField> out;
  FieldTable<Step> t(out, [](Step& s) -> Step& { return s; });
  t.text("name", &Step::name, "name", "What the step is called, in the ledger, on the sheet and in its program.").noRow();
  t.add(nameField(
      t.named("cutter", "cutter", "The cutter of this job that makes the step. A larger one needs fewer passes and reaches less."),
      &Step::cutter, &Job::cutters, true));
  t.add(nameField(t.named("holder", "holder", "Slim holders reach, stiff ones cut."), &Step::holder, &Job::holders, false));
  t.length("stick_out_mm", &Step::stickOut, "stick-out",
           "Tip to holder face. Longer reaches deeper, but bends with the cube of the length.");
  t.add(clampingField(t.named("clamping", "clamping", "In which the step is cut. Steps of one clamping follow each other.")));
  t.choice("own_program", &Step::ownProgram, "program",
           "Steps in a row with one cutter share a program, unless one is to be run, or stopped after, by itself.",
           {"with its neighbours", "of its own"});
  t.add(conditionField(
      t.named("rpm", "spindle speed", "In rpm; 0 takes it from the cutting speed of the cutter, as far as the spindle goes."), &Step::rpm,
      "rpm", "from cutter", false));
  t.add(conditionField(
      t.named("feed_mm_min", "feed", "0 takes it from cutting speed and chip per tooth of the cutter, as far as the spindle goes."),
      &Step::feed, "mm/min", "from chip", true));
  t.text("note", &Step::note, "note", "What whoever runs or changes the step should know; it stands on the set-up sheet. Empty: none.")
      .optional();
  t.add(axisField(t.named("axis", "axis of the step", "The direction from the tip to the holder, in the clamping's frame.")));
  t.promise("gouge_mm");
  t.promise("clearance_mm");
  return out;
}

std::string withoutUnit(const std::string& id) {
  for (const char* unit : {"_mm_min", "_mm2", "_mm", "_deg", "_N"})
    if (id.ends_with(unit)) return id.substr(0, id.size() - std::string_view(unit).size());
  return id;
}

/// A field begins its piece of a sentence: what stands before it is a piece of its own.
std::vector<std::string> fieldsApart(const std::vector<std::string>& pieces) {
  std::vector<std::string> out;
  for (const std::string& p : pieces) {
    const std::size_t field = p.find(" {");
    out.push_back(p.substr(0, field));
    if (field != std::string::npos) out.push_back(p.substr(field + 1));
  }
  return out;
}

template <class Body> StepKind describedBy() {
  StepKind k{Body::kId, Body::kPurpose, Body::kWhat, Body::kWhen, Body::kCosts, Body::kWrong, Body(), common(), {}, {}};
  FieldTable<Body> own(k.fields, [](Step& s) -> Body& { return std::get<Body>(s.body); });
  Body::describe(own);
  FieldTable<Step>(k.fields, [](Step& s) -> Step& { return s; }).part(&Step::asSet);
  k.sentence = [](const Step& s) { return fieldsApart(std::get<Body>(s.body).sentence()); };
  k.check = [](const Job& job, const Step& s) {
    if constexpr (requires(const Body& body) { body.check(job, s); }) std::get<Body>(s.body).check(job, s);
  };
  return k;
}

template <std::size_t... I> std::vector<StepKind> allKinds(std::index_sequence<I...>) {
  return {describedBy<std::variant_alternative_t<I, StepBody>>()...};
}

} // namespace

const StepField* StepKind::field(const std::string& wanted) const {
  for (const StepField& f : fields)
    if (f.id == wanted) return &f;
  return nullptr;
}

const std::vector<StepKind>& stepKinds() {
  static const std::vector<StepKind> kinds = allKinds(std::make_index_sequence<std::variant_size_v<StepBody>>());
  return kinds;
}

const StepKind& kindOf(const Step& step) {
  return stepKinds()[step.body.index()];
}

const StepKind& stepKind(const std::string& id, const std::string& where) {
  std::vector<std::string> there;
  for (const StepKind& k : stepKinds()) {
    if (k.id == id) return k;
    there.push_back("'" + k.id + "'");
  }
  throw Error(Fault::NotUnderstood, "The step kind '" + id + "' is not known", where, "Use one of: " + joined(there, ", ") + ".");
}

const StepField& fieldMeant(const StepKind& kind, const std::string& word, const std::string& where) {
  if (const StepField* f = kind.field(word)) return *f;
  std::vector<const StepField*> meant;
  const auto look = [&](const auto& isMeant) {
    if (!meant.empty()) return; // plainer names come first
    for (const StepField& f : kind.fields)
      if (isMeant(f)) meant.push_back(&f);
  };
  look([&](const StepField& f) { return withoutUnit(f.id) == word || f.label == word; });
  look([&](const StepField& f) { return f.name == word || withoutUnit(f.name) == word; });
  if (meant.size() == 1) return *meant.front();
  std::vector<std::string> there;
  if (meant.empty())
    for (const StepField& f : kind.fields) there.push_back(f.id);
  else
    for (const StepField* f : meant) there.push_back(f->id);
  if (meant.empty())
    throw Error(Fault::Missing, "A step of '" + kind.id + "' has no field '" + word + "'", where, "It has: " + joined(there, ", ") + ".");
  throw Error(Fault::Clash, "'" + word + "' is more than one field", where, "Say which: " + joined(there, ", ") + ".");
}

std::string sentenceText(const Job& job, const Step& step, LengthUnit unit) {
  std::vector<std::string> words;
  for (const std::string& piece : kindOf(step).sentence(step)) {
    if (piece.front() != '{') {
      words.push_back(piece);
      continue;
    }
    const auto end = piece.find('}');
    words.push_back(kindOf(step).field(piece.substr(1, end - 1))->show(job, step, unit) + piece.substr(end + 1));
  }
  return joined(words, " ");
}

} // namespace hemline
