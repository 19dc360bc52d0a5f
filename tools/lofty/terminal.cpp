#include "terminal.hpp"

#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>

#include "lofty/error.hpp"
#include "progress.hpp"
#include "settings.hpp"

namespace tool {
namespace {

lofty::Looks looks_of(int descriptor) {
  lofty::Looks looks;
  const Settings& set = settings();
  looks.colour = set.colours == Settings::Colours::always;
  if (::isatty(descriptor) == 0) return looks;
  const char* const no_colour = std::getenv("NO_COLOR");
  const char* const terminal = std::getenv("TERM");
  if (set.colours == Settings::Colours::automatic)
    looks.colour =
        (no_colour == nullptr || *no_colour == '\0') && terminal != nullptr && std::strcmp(terminal, "dumb") != 0;
  winsize size{};
  if (::ioctl(descriptor, TIOCGWINSZ, &size) == 0 && size.ws_col > 0)
    looks.width = std::clamp<int>(size.ws_col, 40, 120);
  looks.table_width = size.ws_col;
  looks.fold_ties = true;
  looks.fold_advice = "`--cut strict` leaves them out, `--all` lists them";
  looks.cut_advice = "a file holds all: --to FILE";
  return looks;
}

}  // namespace

lofty::Looks looks_of_output() { return looks_of(STDOUT_FILENO); }
lofty::Looks looks_of_errors() { return looks_of(STDERR_FILENO); }

bool output_is_terminal() { return ::isatty(STDOUT_FILENO) != 0; }

bool errors_are_for_people() {
  const char* const terminal = std::getenv("TERM");
  return ::isatty(STDERR_FILENO) != 0 && terminal != nullptr && std::strcmp(terminal, "dumb") != 0;
}

namespace {

// What goes to a terminal cannot steer it; files and pipes get the bytes.
std::string fit_for(int descriptor, std::string_view text) {
  return ::isatty(descriptor) != 0 ? lofty::safe_for_terminal(text) : std::string(text);
}

}  // namespace

void print(std::string_view raw) {
  clear_progress();
  const std::string text = fit_for(STDOUT_FILENO, raw);
  const bool whole = std::fwrite(text.data(), 1, text.size(), stdout) == text.size() && std::fflush(stdout) == 0;
  if (whole) return;
  const int error = errno;
  std::clearerr(stdout);
  throw lofty::Error(lofty::Problem{lofty::Code::cannot_write,
                                    std::string("standard output could not be written whole: ") + std::strerror(error),
                                    {},
                                    {},
                                    {}});
}

void print_long(std::string_view raw) {
  const char* const of_all = std::getenv("PAGER");
  const std::string pager = settings().pager.value_or(of_all == nullptr ? "" : of_all);
  winsize size{};
  const bool long_text = ::isatty(STDOUT_FILENO) != 0 && ::isatty(STDIN_FILENO) != 0 &&
                         ::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row > 0 &&
                         std::count(raw.begin(), raw.end(), '\n') >= size.ws_row;
  if (pager.empty() || !long_text) return print(raw);
  // Pagers that show no colours unless told so are told so; what the user has set stays.
  ::setenv("LESS", "R", 0);
  std::fflush(stdout);
  std::FILE* const pipe = ::popen(pager.c_str(), "w");
  if (pipe == nullptr) return print(raw);
  // A reader who has seen enough closes the pipe.
  const auto before = std::signal(SIGPIPE, SIG_IGN);
  const std::string text = fit_for(STDOUT_FILENO, raw);
  std::fwrite(text.data(), 1, text.size(), pipe);
  const int status = ::pclose(pipe);
  std::signal(SIGPIPE, before);
  // The shell did not find it: the answer is not lost for that.
  if (WIFEXITED(status) && WEXITSTATUS(status) == 127) print(raw);
}

void remark(std::string_view raw) {
  clear_progress();
  const std::string text = fit_for(STDERR_FILENO, raw);
  std::fwrite(text.data(), 1, text.size(), stderr);
}

}  // namespace tool
