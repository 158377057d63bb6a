#include "base/safe_name.h"
#include "machine/program.h"
#include <cctype>
#include <charconv>
#include <fmt/format.h>
#include <sstream>

namespace hemline {

std::string writeCl(const ProgramStep& step) {
  std::string out = fmt::format("PARTNO/{}\n$$ written by Hemline; not qualified for your machine until a commissioned post is "
                                "recorded\nUNITS/MM\nLOADTL/{}\n$$ cutter {}\n",
                                clWord(step.name), step.toolNumber, clWord(step.cutter));
  if (step.rpm > 0) out += fmt::format("SPINDL/{:.0f},CLW\n", step.rpm);
  double feed = -1;
  for (const Location& l : step.path->locations) {
    if (l.motion == Motion::Rapid)
      out += "RAPID\n";
    else if (l.feed != feed && l.feed > 0) {
      feed = l.feed;
      out += feed > 0.1 ? fmt::format("FEDRAT/{:.3f},MMPM\n", feed * 60) : fmt::format("FEDRAT/{:g},MMPM\n", feed * 60);
    }
    if (angleBetween(l.axis, Vec3::UnitZ()) < 1e-12)
      out += fmt::format("GOTO/{:.6f},{:.6f},{:.6f}\n", l.tip.x(), l.tip.y(), l.tip.z());
    else
      out += fmt::format("GOTO/{:.6f},{:.6f},{:.6f},{:.9f},{:.9f},{:.9f}\n", l.tip.x(), l.tip.y(), l.tip.z(), l.axis.x(), l.axis.y(),
                         l.axis.z());
  }
  out += "FINI\n";
  return out;
}

namespace {

/// Reads records one after the other.
class ClReader {
public:
  ClReader(const std::string& text, const std::string& where) : in_(text), where_(where) {}

  Path read() {
    for (std::string record; next(record);) take(record);
    if (path_.locations.size() < 2)
      throw Error(Fault::Damaged, "The file holds fewer than two locations", where_,
                  "Check that it is cutter-location text with GOTO records.");
    return std::move(path_);
  }

private:
  std::string place() const { return fmt::format("{}, line {}", where_, number_); }
  [[noreturn]] void fail(const std::string& what, const char* mend = "Correct the record.") const {
    throw Error(Fault::Damaged, what, place(), mend);
  }

  /// The next record without blanks and comments, over several lines where it says that it goes on; false at the end.
  bool next(std::string& s) {
    s.clear();
    for (bool more = false;;) {
      std::string line;
      if (!std::getline(in_, line)) {
        if (!more) return false;
        fail("The last record is continued but the file ends", "The file is cut short.");
      }
      ++number_;
      if (const auto comment = line.find("$$"); comment != std::string::npos) line.erase(comment);
      for (const char c : line)
        if (!std::isspace(static_cast<unsigned char>(c))) s += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
      more = !s.empty() && s.back() == '$';
      if (!more) return true;
      s.pop_back();
    }
  }

  std::vector<double> numbers(const std::string& rest) const {
    std::vector<double> v;
    for (std::size_t at = 0; at <= rest.size();) {
      const auto comma = std::min(rest.find(',', at), rest.size());
      const std::string item = rest.substr(at, comma - at);
      double x = 0;
      const char* begin = item.c_str() + (item[0] == '+' ? 1 : 0);
      const auto [end, error] = std::from_chars(begin, item.c_str() + item.size(), x);
      if (error != std::errc() || end != item.c_str() + item.size() || !std::isfinite(x))
        fail("'" + item + "' is not a number", "Correct the record or export the path again.");
      v.push_back(x);
      at = comma + 1;
    }
    return v;
  }

  void goTo(const std::string& rest) {
    const auto v = numbers(rest);
    if (v.size() != 3 && v.size() != 6) fail("GOTO needs 3 or 6 numbers");
    Location l;
    l.tip = scale_ * Vec3(v[0], v[1], v[2]);
    if (v.size() == 6) {
      const Vec3 a(v[3], v[4], v[5]);
      if (!(a.norm() > 1e-6)) fail("The axis has no direction");
      axis_ = a.normalized();
    }
    l.axis = axis_;
    l.motion = rapid_ || path_.locations.empty() ? Motion::Rapid : Motion::Cut;
    if (l.motion == Motion::Cut && !(feed_ > 0) && !feedTold_) {
      feedTold_ = true;
      path_.notes.push_back(fmt::format("line {}: cuts before any feed is given (FEDRAT)", number_));
    }
    if (rapid_) ++pass_;
    l.feed = rapid_ ? 0 : feed_;
    l.pass = rapid_ ? -1 : pass_;
    rapid_ = false;
    path_.locations.push_back(l);
    path_.lines.push_back(number_);
  }

  void feed(const std::string& rest) {
    const auto comma = rest.find(',');
    double value = 0;
    std::from_chars(rest.c_str(), rest.c_str() + std::min(comma, rest.size()), value);
    if (!(value > 0)) fail("FEDRAT needs a feed of more than 0");
    const std::string unit = comma == std::string::npos ? "" : rest.substr(comma + 1);
    feed_ = value / 60 * (unit == "IPM" ? kInch : unit == "MMPM" ? 1.0 : scale_);
  }

  void take(const std::string& s) {
    if (s.empty()) return;
    const auto slash = s.find('/');
    const std::string word = s.substr(0, slash), rest = slash == std::string::npos ? "" : s.substr(slash + 1);
    if (word == "GOTO") return goTo(rest);
    if (word == "FEDRAT") return feed(rest);
    if (word == "RAPID") {
      rapid_ = true;
    } else if (word == "UNITS") {
      if (rest != "MM" && rest != "INCHES" && rest != "INCH")
        throw Error(Fault::NotUnderstood, "UNITS/" + rest + " is not known", place(), "Use MM or INCHES.");
      scale_ = rest == "MM" ? 1 : kInch;
    } else if (word == "CIRCLE" || word == "CYLNDR" || word == "GODLTA" || word == "CYCLE") {
      fail(word + " moves the cutter but is not supported", "Export the path with straight moves only (GOTO).");
    } else if (word != "PARTNO" && word != "LOADTL" && word != "SPINDL" && word != "FINI" && word != "END" && word != "PPRINT" &&
               word != "COOLNT" && word != "MULTAX" && word != "TOOLNO") {
      if (path_.notes.size() < 50) path_.notes.push_back(fmt::format("line {}: '{}' has no effect here", number_, word));
    }
  }

  std::istringstream in_;
  const std::string& where_;
  Path path_;
  double scale_ = 1, feed_ = 0; ///< feed in mm/s
  bool rapid_ = false, feedTold_ = false;
  Vec3 axis_ = Vec3::UnitZ();
  int pass_ = 0, number_ = 0;
};

} // namespace

Path readCl(const std::string& text, const std::string& where) {
  return ClReader(text, where).read();
}

} // namespace hemline
