#pragma once
// What the shared library shows to programs that link it.
//
// The library is built with hidden visibility. Public headers open their namespace as `namespace lofty LOFTY_EXPORT`,
// which makes everything that they declare visible; what only the library's own sources declare stays hidden.

#if defined(__GNUC__)
#define LOFTY_EXPORT __attribute__((visibility("default")))
#else
#define LOFTY_EXPORT
#endif
