// Parallel loops whose results do not depend on the number of threads: chunks are fixed, never split by load.
#pragma once
#include <cstddef>
#include <functional>

namespace hemline {

/// Runs body(begin, end) for consecutive chunks of at most `chunk` items of 0..count, in parallel.
/// The chunks are the same on any number of threads; state may be carried inside one chunk only.
void parallelChunks(std::size_t count, std::size_t chunk, const std::function<void(std::size_t, std::size_t)>& body);

/// Runs both to their end, at once where a thread is free; neither may write what the other uses. What they throw comes afterwards.
void parallelBoth(const std::function<void()>& one, const std::function<void()>& other);

/// Limits the worker threads of the process from here on (0: as many as the machine has).
void setThreadLimit(int threads);

} // namespace hemline
