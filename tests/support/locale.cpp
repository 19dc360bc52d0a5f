// LOFTY_TEST_LOCALE runs a test program under a locale of the caller's, in which 12.5 may be "12,5". No answer depends
// on it.

#include <clocale>
#include <cstdio>
#include <cstdlib>
#include <locale>

namespace {

const bool set = [] {
  const char* const name = std::getenv("LOFTY_TEST_LOCALE");
  if (name == nullptr) return false;
  try {
    std::locale::global(std::locale(name));
  } catch (const std::runtime_error&) {
    std::fprintf(stderr, "there is no locale %s\n", name);
    std::exit(1);
  }
  char text[16];
  std::snprintf(text, sizeof text, "%.1f", 12.5);
  if (text[2] != ',') {
    std::fprintf(stderr, "the locale %s writes 12.5 as %s: it tests nothing\n", name, text);
    std::exit(1);
  }
  return true;
}();

}  // namespace
