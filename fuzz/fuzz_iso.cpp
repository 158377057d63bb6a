// Whatever stands in a program: both stand-in machines run it or refuse it with a line, and what they ran is a sound path.
#include "base/error.h"
#include "machine/program.h"
#include <cstdlib>

using namespace hemline;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const Machine mills[] = {readMachine(HEMLINE_DATA "/machines/mill-3.json"), readMachine(HEMLINE_DATA "/machines/mill-5-ac.json")};
  const std::string text(reinterpret_cast<const char*>(data), size);
  for (const Machine& m : mills) {
    Replay replay;
    try {
      replay = replayIso(m, text);
    } catch (const Error& e) {
      if (e.place.rfind("line ", 0) != 0 || e.happened.empty() || e.remedy.empty()) std::abort();
      continue;
    }
    int line = 0;
    for (std::size_t i = 0; i < replay.moves.size(); ++i) {
      const ReplayedMove& move = replay.moves[i];
      for (std::size_t k = 0; k < 5; ++k)
        if (!std::isfinite(move.from[k]) || !std::isfinite(move.to[k])) std::abort();
      // Moves follow each other without a gap, but where the way is said not to be known.
      if (!move.jump && i > 0 && move.from != replay.moves[i - 1].to) std::abort();
      if (move.line < line || (!move.rapid && !(move.feed > 0 && std::isfinite(move.feed)))) std::abort();
      line = move.line;
    }
    if (replay.moves.size() > 20000) continue;
    const ReplayedPath p = pathOf(m, replay, 0, 100, 1e-2);
    if (p.path.lines.size() != p.path.locations.size()) std::abort();
    for (const Location& l : p.path.locations)
      if (!l.tip.allFinite() || std::abs(l.axis.norm() - 1) > 1e-6) std::abort();
  }
  return 0;
}
