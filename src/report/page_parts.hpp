#pragma once
// The parts of a web page that are the same in all, from the files in report/page; made by the build.

namespace lofty::report {

extern const char* const page_template;  // mustache
extern const char* const page_css;
extern const char* const page_js;

}  // namespace lofty::report
