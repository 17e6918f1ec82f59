#pragma once
#include "core/casts.h"

using imbroglio::to_index;
using imbroglio::to_int;
using imbroglio::to_seed;
using imbroglio::to_size;
