// Precompiled: what nearly every file of the core includes.
#pragma once
#include "geometry/vec.h"
#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <functional>
#include <limits>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>
