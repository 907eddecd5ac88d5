#pragma once
/// \file
/// Independent jobs of very different size on all threads.

#include <cstddef>
#include <functional>
#include <span>
#include <string_view>

#include "aguja/base/progress.h"

namespace aguja {

/// Calls `work(i, progress)` for each job. Those of at most `small` run several at a time, in no
/// order; each larger one runs alone, since it has loops of its own for all threads, and few of them
/// fit into memory at once.
///
/// A single job tells `progress` of its own stages. Several tell it of one, `stage`: the sizes done
/// by that of all.
/// Errors   What a job throws; of those that have begun then, results may be missing.
void run_jobs(std::span<const std::size_t> sizes, std::size_t small, std::string_view stage,
              Progress* progress, const std::function<void(std::size_t, Progress*)>& work);

}  // namespace aguja
