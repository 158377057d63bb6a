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

Path readCl(const std::string& text, const std::string& where) {
  Path path;
  std::istringstream in(text);
  std::string line;
  double scale = 1, feed = 0;
  bool rapid = false, feedTold = false;
  Vec3 axis = Vec3::UnitZ();
  int pass = 0;
  for (int number = 1; std::getline(in, line); ++number) {
    const auto place = [&] { return fmt::format("{}, line {}", where, number); };
    std::string s;
    const auto take = [&] {
      if (const auto comment = line.find("$$"); comment != std::string::npos) line.erase(comment);
      for (const char c : line)
        if (!std::isspace(static_cast<unsigned char>(c))) s += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    };
    take();
    while (!s.empty() && s.back() == '$') { // continued on the next line
      s.pop_back();
      if (!std::getline(in, line))
        throw Error(Fault::Damaged, "The last record is continued but the file ends", place(), "The file is cut short.");
      ++number;
      take();
    }
    if (s.empty()) continue;
    const auto slash = s.find('/');
    const std::string word = s.substr(0, slash), rest = slash == std::string::npos ? "" : s.substr(slash + 1);
    const auto numbers = [&] {
      std::vector<double> v;
      for (std::size_t at = 0; at <= rest.size();) {
        const auto comma = std::min(rest.find(',', at), rest.size());
        const std::string item = rest.substr(at, comma - at);
        double x = 0;
        const char* begin = item.c_str() + (item[0] == '+' ? 1 : 0);
        const auto [end, error] = std::from_chars(begin, item.c_str() + item.size(), x);
        if (error != std::errc() || end != item.c_str() + item.size() || !std::isfinite(x))
          throw Error(Fault::Damaged, "'" + item + "' is not a number", place(), "Correct the record or export the path again.");
        v.push_back(x);
        at = comma + 1;
      }
      return v;
    };
    if (word == "GOTO") {
      const auto v = numbers();
      if (v.size() != 3 && v.size() != 6) throw Error(Fault::Damaged, "GOTO needs 3 or 6 numbers", place(), "Correct the record.");
      Location l;
      l.tip = scale * Vec3(v[0], v[1], v[2]);
      if (v.size() == 6) {
        const Vec3 a(v[3], v[4], v[5]);
        if (!(a.norm() > 1e-6)) throw Error(Fault::Damaged, "The axis has no direction", place(), "Correct the record.");
        axis = a.normalized();
      }
      l.axis = axis;
      l.motion = rapid || path.locations.empty() ? Motion::Rapid : Motion::Cut;
      if (l.motion == Motion::Cut && !(feed > 0) && !feedTold) {
        feedTold = true;
        path.notes.push_back(fmt::format("line {}: cuts before any feed is given (FEDRAT)", number));
      }
      if (rapid) ++pass;
      l.feed = rapid ? 0 : feed;
      l.pass = rapid ? -1 : pass;
      rapid = false;
      path.locations.push_back(l);
      path.lines.push_back(number);
    } else if (word == "RAPID") {
      rapid = true;
    } else if (word == "FEDRAT") {
      const auto comma = rest.find(',');
      double value = 0;
      std::from_chars(rest.c_str(), rest.c_str() + std::min(comma, rest.size()), value);
      if (!(value > 0)) throw Error(Fault::Damaged, "FEDRAT needs a feed of more than 0", place(), "Correct the record.");
      const std::string unit = comma == std::string::npos ? "" : rest.substr(comma + 1);
      feed = value / 60 * (unit == "IPM" ? kInch : unit == "MMPM" ? 1.0 : scale);
    } else if (word == "UNITS") {
      if (rest == "MM")
        scale = 1;
      else if (rest == "INCHES" || rest == "INCH")
        scale = kInch;
      else
        throw Error(Fault::NotUnderstood, "UNITS/" + rest + " is not known", place(), "Use MM or INCHES.");
    } else if (word == "CIRCLE" || word == "CYLNDR" || word == "GODLTA" || word == "CYCLE") {
      throw Error(Fault::Damaged, word + " moves the cutter but is not supported", place(),
                  "Export the path with straight moves only (GOTO).");
    } else if (word != "PARTNO" && word != "LOADTL" && word != "SPINDL" && word != "FINI" && word != "END" && word != "PPRINT" &&
               word != "COOLNT" && word != "MULTAX" && word != "TOOLNO") {
      if (path.notes.size() < 50) path.notes.push_back(fmt::format("line {}: '{}' has no effect here", number, word));
    }
  }
  if (path.locations.size() < 2)
    throw Error(Fault::Damaged, "The file holds fewer than two locations", where,
                "Check that it is cutter-location text with GOTO records.");
  return path;
}

} // namespace hemline
