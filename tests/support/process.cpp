#include "support/process.hpp"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdlib>
#include <fstream>
#include <sstream>
#include <stdexcept>

namespace support {
namespace {

// Under the sanitizers the same work takes ten to thirty times as long.
#if defined(__SANITIZE_THREAD__) || defined(__SANITIZE_ADDRESS__)
constexpr unsigned seconds = 600;
#else
constexpr unsigned seconds = 60;
#endif

Ran run(const std::vector<std::string>& command, const std::filesystem::path& folder,
        const std::vector<std::string>& environment = {}) {
  const Scratch scratch;
  const auto out = scratch.path() / "out", err = scratch.path() / "err";
  const pid_t child = ::fork();
  if (child == 0) {
    if (::chdir(folder.c_str()) != 0) ::_exit(126);
    for (const std::string& one : environment) ::putenv(const_cast<char*>(one.c_str()));
    ::alarm(seconds);
    ::dup2(::open("/dev/null", O_RDONLY), 0);
    ::dup2(::open(out.c_str(), O_WRONLY | O_CREAT, 0600), 1);
    ::dup2(::open(err.c_str(), O_WRONLY | O_CREAT, 0600), 2);
    std::vector<char*> arguments;
    for (const std::string& word : command) arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    ::execv(arguments[0], arguments.data());
    ::_exit(127);
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), slurp(out), slurp(err)};
}

}  // namespace

Ran lofty(const std::vector<std::string>& arguments, const std::filesystem::path& folder,
          const std::vector<std::string>& environment) {
  std::vector<std::string> command = {LOFTY_TOOL};
  command.insert(command.end(), arguments.begin(), arguments.end());
  return run(command, folder, environment);
}

Ran shell(const std::string& line) { return run({"/bin/sh", "-c", line}, "."); }

Scratch::Scratch() {
  std::string pattern = (std::filesystem::temp_directory_path() / "lofty.XXXXXX").string();
  if (::mkdtemp(pattern.data()) == nullptr) throw std::runtime_error("no scratch folder");
  path_ = pattern;
}

Scratch::~Scratch() {
  std::error_code ignored;
  std::filesystem::remove_all(path_, ignored);
}

std::filesystem::path Scratch::file(const std::string& name, std::string_view text) const {
  const auto file = path_ / name;
  std::filesystem::create_directories(file.parent_path());
  std::ofstream(file, std::ios::binary) << text;
  return file;
}

std::string slurp(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::ostringstream text;
  text << in.rdbuf();
  return std::move(text).str();
}

std::filesystem::path demo() { return std::filesystem::path(LOFTY_SOURCE) / "demo"; }

}  // namespace support
