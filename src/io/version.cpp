// The versions of this library, and of those that it uses.
// Covered by tests/tool/tool_test.cpp.

#include "lofty/version.hpp"

#include <csv.h>
#include <hwy/highway.h>
#include <simdjson.h>
#include <sqlite3.h>
#include <unicode/uversion.h>
#include <xlsxwriter.h>
#include <zip.h>
#include <zlib.h>
#include <pugixml.hpp>

#include "io/toml_parser.hpp"

namespace lofty {

const char* version() { return LOFTY_VERSION; }

std::vector<LibraryVersion> libraries_in_use() {
  const auto numbers = [](int a, int b, int c) {
    return std::to_string(a) + "." + std::to_string(b) + "." + std::to_string(c);
  };
  UVersionInfo icu;
  u_getVersion(icu);
  return {{"highway", numbers(HWY_MAJOR, HWY_MINOR, HWY_PATCH)},
          {"icu", numbers(icu[0], icu[1], icu[2])},
          {"libcsv", numbers(CSV_MAJOR, CSV_MINOR, CSV_RELEASE)},
          {"libxlsxwriter", lxw_version()},
          {"libzip", zip_libzip_version()},
          {"pugixml", numbers(PUGIXML_VERSION / 1000, PUGIXML_VERSION / 10 % 100, PUGIXML_VERSION % 10)},
          {"simdjson", numbers(simdjson::SIMDJSON_VERSION_MAJOR, simdjson::SIMDJSON_VERSION_MINOR,
                               simdjson::SIMDJSON_VERSION_REVISION)},
          {"sqlite", sqlite3_libversion()},
          {"toml++", numbers(TOML_LIB_MAJOR, TOML_LIB_MINOR, TOML_LIB_PATCH)},
          {"zlib", zlibVersion()}};
}

}  // namespace lofty
