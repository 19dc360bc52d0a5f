// The tool's vectors count for --memory.

#include "lofty/counted_new.hpp"
