// The graph: part -> stock -> path -> stock after -> proofs -> programs. Results are remembered by the content they were made
// from, so that a change recomputes only what depends on it.
#pragma once
#include "findings/finding.h"
#include "graph/results.h"
#include "machine/program.h"
#include "proof/surface_proof.h"
#include "steps/measuring.h"
#include "steps/placed_step.h"
#include "study/whole_study.h"
#include <set>

namespace hemline {

enum class Verdict { Kept, Broken, Unknown, Waived };
const char* verdictName(Verdict v);

struct PromiseResult {
  std::string name; ///< cusp_mm, gouge_mm, rest_mm, clearance_mm, engagement_deg, layer_mm; of regions finish_mm, tolerance_mm, protected_mm
  double promised = 0, measured = 0, bound = 0;
  Verdict verdict = Verdict::Unknown;
  Vec3 at = Vec3::Zero();
  std::string note;
};

/// How the part stands in one clamping, all bodies in the part's frame.
struct ClampingState {
  Frame frame;                                            ///< the clamping's, in the part's
  std::shared_ptr<const Machine> machine;                 ///< with this clamping's work zero
  std::size_t fixtures = 0;                               ///< how many of the bodies are fixtures
  std::vector<Standing> bodies;                           ///< of the fixtures, in order; then the machine's table, where it is known
  std::vector<std::shared_ptr<const Part>> parts() const; ///< the same without their names
};

struct StepResult {
  std::size_t number = 0; ///< in the job, from 1
  Step step;              ///< axis, passes and boundary in the part's frame, as is everything below but the joints
  RegionLimits region;    ///< of finishing steps: what it was limited to
  std::shared_ptr<const ClampingState> held;
  Assembly assembly;
  Key key; ///< content: part, stock, step, cutter, holder, machine, fixtures
  double rpm = 0, feed = 0;
  Ref<Planned> planned;
  std::shared_ptr<const AssemblyReach>
      reach; ///< finishing steps: what of their region can be touched at all; on five axes leaning from the step's axis, too
  std::shared_ptr<const SurfaceProof> surface; ///< finishing steps; its gouge is that of the whole part
  std::shared_ptr<const LayerMet> layer;       ///< finishing steps that promise one and have steps before them
  std::string judged;                          ///< given paths: what ground cusp and rest were judged on
  std::shared_ptr<const ClearanceResult> clearance;
  std::shared_ptr<const ClearanceTrace> clearanceTrace;
  std::shared_ptr<const StockState> before; ///< the stock that the step finds
  std::shared_ptr<const CutResult> cut;
  Ref<InTime> time;
  std::vector<PromiseResult> promises;
  std::shared_ptr<const Effort> effort;                 ///< what grip and work have to stand; where the material is known
  std::shared_ptr<const std::vector<StockPiece>> loose; ///< pieces of the stock that nothing holds afterwards
  std::vector<std::shared_ptr<const Measured>> into;    ///< per region of the job: how deep it cuts into protected ground; null: not asked
  std::shared_ptr<const Hanging> hanging;               ///< and pieces that hang by a thin skin; steps of clampings whose work is gripped
  std::shared_ptr<const FeedPlan> feeds;                ///< feeds by the measured load; roughing steps whose material is known
  std::vector<Finding> findings;                        ///< cautions, suggestions, what can never be waived
  std::vector<std::string> texts(Severity severity) const { return textsOf(findings, severity); }
  /// Does something hold it that can never be waived?
  bool blocked() const {
    return std::any_of(findings.begin(), findings.end(), [](const Finding& f) { return f.severity() == Severity::Blocker; });
  }
  bool found(Code code) const {
    return std::any_of(findings.begin(), findings.end(), [code](const Finding& f) { return f.code == code; });
  }
  /// Do the feeds of the path follow the load? What is given keeps its own.
  bool fedByLoad() const { return feeds && step.feedByLoad && !step.is<GivenPathStep>(); }
  double efficiency = 0; ///< least contact length over the contact curves' length; 0: not computed
};

/// What becomes of a facet. Touched: a step means to finish it, but no step is measured to leave no more than it promises all over.
enum class Covered : char { Forgotten, Finished, Left, Touched };

struct Coverage {
  std::vector<Covered> state;                                ///< per facet
  double finished = 0, left = 0, forgotten = 0, touched = 0; ///< mm^2; of a facet that is touched only what is over the promise counts so
  Vec3 forgottenAt = Vec3::Zero(), touchedAt = Vec3::Zero(); ///< a place on the largest such facet
};

/// A file that a result was made from, as it was then.
struct InputFile {
  std::string what, path; ///< "model", "machine", "fixture", ...
  Key hash;
};

/// A region of the job on its part.
struct RegionGround {
  FoundRegion found;
  std::shared_ptr<const Part> surface; ///< of protected ground, and of what keeps an allowance of its own
  Key key;                             ///< of its facets
  Key marks;                           ///< of the region that it was found for: see keyOfMarks
};

struct RegionResult {
  Region region;
  std::shared_ptr<const RegionGround> ground;
  double finished = 0; ///< mm^2
  std::vector<PromiseResult> promises;
  Key key; ///< content: its facets and all steps
};

struct JobResult {
  std::shared_ptr<const Part> part;
  std::shared_ptr<const Study> study; ///< along the first step's axis; this and the next three: where the part was studied (prepare)
  std::shared_ptr<const LargestBalls> balls;
  std::shared_ptr<const Surroundings> around;
  std::shared_ptr<const std::vector<Wall>> walls;
  std::shared_ptr<const StockState> stock;
  std::shared_ptr<const Machine> machine; ///< as in the first clamping
  std::vector<std::shared_ptr<const ClampingState>> clampings;
  std::vector<Clamping> asked; ///< the clampings that this was computed for
  std::vector<std::shared_ptr<const Holding>>
      grips; ///< per clamping: what its fixtures touch of the stock that it finds; null: no step yet
  std::vector<std::shared_ptr<const StockSpread>>
      spreads; ///< per clamping: stock on what is still to be finished, when it comes from outside
  std::vector<std::shared_ptr<const Seam>>
      seams; ///< per clamping: where it meets ground of earlier ones; null: no dowels, or no such ground
  std::vector<std::shared_ptr<const StepResult>> steps;
  std::vector<std::shared_ptr<const RegionGround>> regions; ///< of the job, in order
  std::vector<RegionResult> ofRegions;                      ///< the same, judged over all steps
  std::vector<InputFile> inputs;                            ///< every file that was read for it
  Coverage coverage;
  std::vector<Finding> earlier; ///< what blocks steps that were left out, but made the stock of those here
  bool kept = false;            ///< every promise is, and nothing blocks; whether it can be handed over: judgeRelease
  double time = 0;
};

/// Promise (mm, radians) against measurement, by the kind of promise; the result is in the unit of its name.
PromiseResult judge(const char* name, double promised, const Measured& measured);

/// The step's path as the machine runs it, in its clamping's frame.
Path pathInClamping(const StepResult& step);

/// Chord tolerance of the tessellation on a CAD model, mm: what the finest promise of all steps asks for.
double tessellationChord(const Job& job);

/// Told after each finished step, so that a window can show results as they come.
using StepDone = std::function<void(std::size_t, const std::shared_ptr<const StepResult>&)>;
/// Told the first, coarse answer of a step that is being measured.
using StepCoarse = std::function<void(std::size_t, std::shared_ptr<const CoarseSurface>)>;

class Evaluator {
public:
  /// Where there is a store, results are kept and sought in it.
  explicit Evaluator(std::shared_ptr<Store> store = nullptr) : results_(Results::kLimit, std::move(store)) {}
  /// Evaluates the job whose files are relative to `jobPath`. Only steps with index below `steps`. The part is not studied. Throws Error,
  /// Cancelled.
  JobResult evaluate(const Job& job, const std::string& jobPath, Progress& progress, std::size_t steps = 1000000, const StepDone& done = {},
                     const StepCoarse& coarse = {});
  /// How far the part is studied before the first step. ForSteps: only what steps ask for. Closely: from kFiner times the places; it stays
  /// so for this part.
  enum class Studied { ForSteps, Whole, Closely };
  /// Loads and studies the part and lays the stock only.
  /// `seen`: told the part as soon as it is read, before it is studied.
  JobResult prepare(const Job& job, const std::string& jobPath, Progress& progress, Studied studied = Studied::Whole,
                    const std::function<void(const std::shared_ptr<const Part>&)>& seen = {});
  /// How many results were computed (not remembered) since the start: for tests and for showing what is stale.
  std::size_t computed() const { return results_.computed(); }
  /// The same for one kind of result: "plan", "links", "cut", "surface", ...
  std::size_t computed(const std::string& what) const { return results_.computed(what); }
  Results& results() { return results_; }
  /// How many results on disk were not whole, and computed again.
  std::size_t damaged() const { return results_.damaged(); }

private:
  Results results_;
  std::set<Key> finelyStudied_;
};

} // namespace hemline
