// The table that a kind of step describes its fields with: one call a field.
#pragma once
#include "base/text.h"
#include "model/fields.h"
#include "model/promise_kinds.h"
#include "model/typed.h"

namespace hemline {

/// Fields of the kinds of value there are, as a table's entries need them. `at`: the value within a step.
template <class Value> using Within = std::function<Value&(Step&)>;
using GetNumber = std::function<std::optional<double>(const Step&)>; ///< in the unit of files
using PutNumber = std::function<void(Step&, const std::optional<double>&)>;
/// `none`: the word where there is no value; empty: there always is one.
StepField quantityField(StepField f, const GetNumber& get, const PutNumber& put, Quantity quantity, const std::string& none);
/// One of several words by its place; `flag`: false and true in the file.
StepField choiceField(StepField f, const std::function<std::size_t(const Step&)>& get, const std::function<void(Step&, std::size_t)>& put,
                      const std::vector<std::string>& words, bool flag);
StepField pointsField(StepField f, const Within<std::vector<Vec2>>& at);
StepField directionsField(StepField f, const Within<std::vector<Vec3>>& at);
StepField numbersField(StepField f, const Within<std::vector<int>>& at);
StepField regionsField(StepField f, const Within<std::vector<std::string>>& at);
StepField ownAllowancesField(StepField f, const Within<std::map<std::string, double>>& at);
StepField tabsField(StepField f, const Within<std::optional<Tabs>>& at);
StepField railsField(StepField f, const Within<std::vector<std::string>>& at, const char* none);
/// One of the job's cutters, or none.
StepField otherCutterField(StepField f, const Within<std::string>& at);
StepField railField(StepField f, const Within<std::string>& at);
StepField fileField(StepField f, const Within<std::string>& at);
StepField textField(StepField f, const Within<std::string>& at);
StepField promiseField(const char* name, bool needed, const char* also);
StepField entryField(const char* name);
/// Feeds by the load (`follows`) and its limits.
std::vector<StepField> loadFields(bool follows);

template <class Body> class FieldTable {
public:
  using In = std::function<Body&(Step&)>;
  FieldTable(std::vector<StepField>& fields, In in) : fields_(fields), in_(std::move(in)) {}

  /// The field that was described last, to say more of it.
  class More {
  public:
    More(std::vector<StepField>& fields, std::size_t k) : fields_(fields), k_(k) {}
    /// What a new value brings with it.
    More then(std::function<void(Step&)> f) {
      field().type = [type = field().type, f = std::move(f)](Job& j, Step& s, const std::string& t, LengthUnit u) {
        type(j, s, t, u);
        f(s);
      };
      return *this;
    }
    /// Refused when nothing is typed.
    More needed(const char* nothing) {
      field().type = [type = field().type, label = field().label, help = field().help, nothing](Job& j, Step& s, const std::string& t,
                                                                                                LengthUnit u) {
        if (trimmed(t).empty() || t == "none") refuse(nothing, label, help);
        type(j, s, t, u);
      };
      return *this;
    }
    /// Stands in the file only where `other` does.
    More along(const char* other) {
      std::function<nlohmann::json(const Step&)> there;
      for (const StepField& f : fields_)
        if (f.name == other) there = f.get;
      field().get = [get = field().get, there](const Step& s) { return there(s).is_null() ? nlohmann::json() : get(s); };
      return *this;
    }
    /// A text that need not be there: it stands in the file only where there is one.
    More optional() {
      StepField& f = field();
      f.get = [get = f.get](const Step& s) { return get(s) == "" ? nlohmann::json() : get(s); };
      f.show = [show = f.show](const Job& j, const Step& s, LengthUnit u) { return show(j, s, u).empty() ? "none" : show(j, s, u); };
      f.type = [type = f.type, read = f.read, name = f.name](Job& j, Step& s, const std::string& t, LengthUnit u) {
        if (!trimmed(t).empty() && trimmed(t) != "none") return type(j, s, t, u);
        const nlohmann::json none{{name, ""}};
        read(s, Reader{none, name});
      };
      return *this;
    }
    More noRow() {
      field().row = false;
      return *this;
    }

  private:
    StepField& field() { return fields_[k_]; }
    std::vector<StepField>& fields_;
    std::size_t k_;
  };

  /// The fields from here on stand in an object of their own.
  void in(const char* group) { group_ = group; }
  /// Fields of a member that describes itself.
  template <class Part> void part(Part Body::*member) {
    FieldTable<Part> t(fields_, [in = in_, member](Step& s) -> Part& { return in(s).*member; });
    Part::describe(t);
  }
  /// A field that all kinds have, and that this one has no use for.
  void hide(const char* id) {
    for (StepField& f : fields_)
      if (f.id == id) f.row = false;
  }

  template <class Value> More length(const char* name, Value Body::*v, const char* label, std::string help) {
    return number(name, v, Quantity::Length, label, std::move(help));
  }
  template <class Value> More fine(const char* name, Value Body::*v, const char* label, std::string help) {
    return number(name, v, Quantity::FineLength, label, std::move(help));
  }
  template <class Value> More angle(const char* name, Value Body::*v, const char* label, std::string help) {
    return number(name, v, Quantity::Angle, label, std::move(help));
  }
  template <class Value> More area(const char* name, Value Body::*v, const char* label, std::string help) {
    return number(name, v, Quantity::Area, label, std::move(help));
  }
  template <class Value> More force(const char* name, Value Body::*v, const char* label, std::string help) {
    return number(name, v, Quantity::Force, label, std::move(help));
  }
  More count(const char* name, int Body::*v, const char* label, std::string help) {
    return number(name, v, Quantity::Count, label, std::move(help));
  }

  /// One of several words: by their place, for a flag (false first) or an enumeration.
  template <class Value>
  More choice(const char* name, Value Body::*v, const char* label, std::string help, const std::vector<std::string>& words) {
    return add(choiceField(
        named(name, label, std::move(help)), [at = at(v)](const Step& s) { return static_cast<std::size_t>(at(const_cast<Step&>(s))); },
        [at = at(v)](Step& s, std::size_t k) { at(s) = static_cast<Value>(k); }, words, std::is_same_v<Value, bool>));
  }
  /// A promise of promise_kinds.h. `needed`: it cannot be left out; `also`: more of what it means here.
  More promise(const char* name, bool needed = false, const char* also = nullptr) { return add(promiseField(name, needed, also)); }
  /// The ramp angle of the step's cutter, which every way down into material promises.
  More entry(const char* name) { return add(entryField(name)); }
  /// Feeds by the load, and its limits; or the limits only.
  void load() { addAll(loadFields(true)); }
  void loadLimits() { addAll(loadFields(false)); }
  More points(const char* name, std::vector<Vec2> Body::*v, const char* label, std::string help) {
    return add(pointsField(named(name, label, std::move(help)), at(v)));
  }
  More directions(const char* name, std::vector<Vec3> Body::*v, const char* label, std::string help) {
    return add(directionsField(named(name, label, std::move(help)), at(v)));
  }
  More numbers(const char* name, std::vector<int> Body::*v, const char* label, std::string help) {
    return add(numbersField(named(name, label, std::move(help)), at(v)));
  }
  More regions(const char* name, std::vector<std::string> Body::*v, const char* label, std::string help) {
    return add(regionsField(named(name, label, std::move(help)), at(v)));
  }
  /// `none`: the word where none is named.
  More rails(const char* name, std::vector<std::string> Body::*v, const char* label, std::string help, const char* none) {
    return add(railsField(named(name, label, std::move(help)), at(v), none));
  }
  More ownAllowances(const char* name, std::map<std::string, double> Body::*v, const char* label, std::string help) {
    return add(ownAllowancesField(named(name, label, std::move(help)), at(v)));
  }
  More tabs(const char* name, std::optional<Tabs> Body::*v, const char* label, std::string help) {
    return add(tabsField(named(name, label, std::move(help)), at(v)));
  }
  More rail(const char* name, std::string Body::*v, const char* label, std::string help) {
    return add(railField(named(name, label, std::move(help)), at(v)));
  }
  More cutter(const char* name, std::string Body::*v, const char* label, std::string help) {
    return add(otherCutterField(named(name, label, std::move(help)), at(v)));
  }
  More file(const char* name, std::string Body::*v, const char* label, std::string help) {
    return add(fileField(named(name, label, std::move(help)), at(v)));
  }
  More text(const char* name, std::string Body::*v, const char* label, std::string help) {
    return add(textField(named(name, label, std::move(help)), at(v)));
  }

  /// A field that was made by hand.
  More add(StepField f) {
    f.schema["description"] = f.help;
    fields_.push_back(std::move(f));
    return More(fields_, fields_.size() - 1);
  }
  StepField named(const char* name, const char* label, std::string help) const {
    StepField f;
    f.group = group_, f.name = name, f.id = group_.empty() ? name : group_ + "." + name;
    f.label = label, f.help = std::move(help);
    return f;
  }
  /// A reference to the member within a step.
  template <class Value> Within<Value> at(Value Body::*v) const {
    return [in = in_, v](Step& s) -> Value& { return in(s).*v; };
  }

private:
  template <class Value> More number(const char* name, Value Body::*v, Quantity q, const char* label, std::string help) {
    constexpr bool optional = std::is_same_v<Value, std::optional<double>>;
    const bool angle = q == Quantity::Angle;
    const GetNumber get = [at = at(v), angle](const Step& s) -> std::optional<double> {
      const std::optional<double> value = at(const_cast<Step&>(s));
      return value && angle ? std::optional(tidy(degrees(*value))) : value;
    };
    const PutNumber put = [at = at(v), angle](Step& s, const std::optional<double>& x) {
      const std::optional<double> value = x && angle ? std::optional(radians(*x)) : x;
      if constexpr (optional)
        at(s) = value;
      else if (value)
        at(s) = static_cast<Value>(*value);
    };
    return add(quantityField(named(name, label, std::move(help)), get, put, q,
                             !optional            ? ""
                             : group_ == "as_set" ? "as planned"
                                                  : "none"));
  }
  void addAll(std::vector<StepField> list) {
    for (StepField& f : list) add(std::move(f));
  }

  std::vector<StepField>& fields_;
  In in_;
  std::string group_;
};

} // namespace hemline
