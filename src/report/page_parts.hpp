#pragma once
// The parts of a web page that are the same in all, from the files in report/page; made by the build.

namespace lofty::report {

extern const char* const page_template;  // mustache
extern const char* const page_rows;      // mustache: some rows of a table
extern const char* const page_css;
extern const char* const page_js;
extern const char* const page_css_hash;  // SHA-256, as hexadecimal digits
extern const char* const page_js_hash;

}  // namespace lofty::report
