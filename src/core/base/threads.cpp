#include "base/threads.h"
#include <algorithm>
#include <memory>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_invoke.h>

namespace hemline {

void parallelChunks(std::size_t count, std::size_t chunk, const std::function<void(std::size_t, std::size_t)>& body) {
  if (count == 0) return;
  const std::size_t chunks = (count + chunk - 1) / chunk;
  if (chunks == 1) return body(0, count);
  tbb::parallel_for(
      std::size_t{0}, chunks, [&](std::size_t k) { body(k * chunk, std::min(count, (k + 1) * chunk)); }, tbb::simple_partitioner());
}

void parallelBoth(const std::function<void()>& one, const std::function<void()>& other) {
  // Nothing is thrown through the library: it would stop the loops within the other in their middle, as if they were done.
  std::exception_ptr wrong[2];
  const auto caught = [](const std::function<void()>& run, std::exception_ptr& to) {
    try {
      run();
    } catch (...) {
      to = std::current_exception();
    }
  };
  tbb::parallel_invoke([&] { caught(one, wrong[0]); }, [&] { caught(other, wrong[1]); });
  for (const std::exception_ptr& w : wrong)
    if (w) std::rethrow_exception(w);
}

void setThreadLimit(int threads) {
  static std::unique_ptr<tbb::global_control> limit;
  limit.reset();
  if (threads > 0)
    limit = std::make_unique<tbb::global_control>(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(threads));
}

} // namespace hemline
