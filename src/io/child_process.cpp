// Covered by tests/report/drawing_test.cpp and tests/tool/draw_test.cpp.
#include "io/child_process.hpp"

#include <fcntl.h>
#include <poll.h>
#include <pthread.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <cstring>
#include <tuple>

#include "lofty/error.hpp"

extern char** environ;

namespace lofty::engine {
namespace {

constexpr std::size_t most_errors = 64 * 1024;

// Where a signal handler can read them; 0: a free slot.
std::array<std::atomic<pid_t>, 16> running;

// Both ends of a pipe, closed when they are no longer needed. Programs begun elsewhere don't inherit them.
struct Pipe {
  std::array<int, 2> ends{-1, -1};
  Pipe() {
    if (::pipe2(ends.data(), O_CLOEXEC) != 0)
      throw Error(
          Problem{Code::cannot_write, std::string("no process could be started: ") + std::strerror(errno), {}, {}, {}});
  }
  Pipe(const Pipe&) = delete;
  Pipe& operator=(const Pipe&) = delete;
  ~Pipe() {
    close(0);
    close(1);
  }
  void close(std::size_t end) {
    if (ends[end] >= 0) ::close(ends[end]);
    ends[end] = -1;
  }
};

// A write to a program that has ended gives an error instead of a signal, in this thread and for this while.
class NoPipeSignal {
 public:
  NoPipeSignal() {
    sigemptyset(&pipe_);
    sigaddset(&pipe_, SIGPIPE);
    sigset_t waiting;
    sigpending(&waiting);
    was_waiting_ = sigismember(&waiting, SIGPIPE) == 1;
    ::pthread_sigmask(SIG_BLOCK, &pipe_, &before_);
  }
  NoPipeSignal(const NoPipeSignal&) = delete;
  NoPipeSignal& operator=(const NoPipeSignal&) = delete;
  ~NoPipeSignal() {
    const timespec now{};
    if (!was_waiting_)
      while (::sigtimedwait(&pipe_, nullptr, &now) < 0 && errno == EINTR) {
      }
    ::pthread_sigmask(SIG_SETMASK, &before_, nullptr);
  }
  const sigset_t& mask_before() const { return before_; }

 private:
  sigset_t pipe_{}, before_{};
  bool was_waiting_ = false;
};

// Words as a program takes them. They have to outlive the result.
std::vector<char*> pointers(std::vector<std::string>& words) {
  std::vector<char*> out;
  for (std::string& word : words) out.push_back(word.data());
  out.push_back(nullptr);
  return out;
}

// The environment, in the language that numbers are exchanged in.
std::vector<std::string> plain_environment() {
  std::vector<std::string> kept;
  for (char** one = environ; *one != nullptr; ++one)
    if (!std::string_view(*one).starts_with("LC_") && !std::string_view(*one).starts_with("LANG="))
      kept.emplace_back(*one);
  kept.emplace_back("LC_ALL=C.UTF-8");
  return kept;
}

// The number of the system's error; 0: it runs.
int begin_program(const std::string& name, const std::vector<std::string>& arguments, const sigset_t& mask,
                  const std::array<Pipe, 3>& pipes, pid_t& child) {
  const auto& [in, out, errors] = pipes;
  std::vector<std::string> words = {name}, environment = plain_environment();
  words.insert(words.end(), arguments.begin(), arguments.end());
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, in.ends[0], STDIN_FILENO);
  posix_spawn_file_actions_adddup2(&actions, out.ends[1], STDOUT_FILENO);
  posix_spawn_file_actions_adddup2(&actions, errors.ends[1], STDERR_FILENO);
  posix_spawnattr_t attributes;
  posix_spawnattr_init(&attributes);
  posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETPGROUP);
  posix_spawnattr_setpgroup(&attributes, 0);
  posix_spawnattr_setsigmask(&attributes, &mask);
  const int failed =
      ::posix_spawnp(&child, name.c_str(), &actions, &attributes, pointers(words).data(), pointers(environment).data());
  posix_spawn_file_actions_destroy(&actions);
  posix_spawnattr_destroy(&attributes);
  return failed;
}

// Both directions at once: neither side waits for the other with a full pipe. Returns false at the deadline.
bool exchange(Pipe& in, Pipe& out, Pipe& errors, std::string_view input, ProgramResult& result,
              std::chrono::steady_clock::time_point deadline) {
  ::fcntl(in.ends[1], F_SETFL, O_NONBLOCK);
  char bytes[16384];
  while (out.ends[0] >= 0 || errors.ends[0] >= 0) {
    if (input.empty()) in.close(1);
    const auto left =
        std::chrono::duration_cast<std::chrono::milliseconds>(deadline - std::chrono::steady_clock::now()).count();
    if (left <= 0) return false;
    std::array<pollfd, 3> waiting{{{in.ends[1], POLLOUT, 0}, {out.ends[0], POLLIN, 0}, {errors.ends[0], POLLIN, 0}}};
    const int ready = ::poll(waiting.data(), waiting.size(), static_cast<int>(std::min<long long>(left, 1 << 30)));
    if (ready < 0 && errno != EINTR) break;
    if (ready <= 0) continue;

    // What the program takes, and what it gives.
    if (waiting[0].revents != 0) {
      const ssize_t written = ::write(in.ends[1], input.data(), input.size());
      if (written > 0) input.remove_prefix(static_cast<std::size_t>(written));
      if (written < 0 && errno != EAGAIN && errno != EINTR) in.close(1);
    }
    for (const auto& [pipe, text, index] :
         {std::tuple{&out, &result.output, 1U}, std::tuple{&errors, &result.errors, 2U}}) {
      if (pipe->ends[0] < 0 || waiting[index].revents == 0) continue;
      const ssize_t read = ::read(pipe->ends[0], bytes, sizeof bytes);
      if (read > 0 && (text != &result.errors || text->size() < most_errors))
        text->append(bytes, static_cast<std::size_t>(read));
      if (read == 0 || (read < 0 && errno != EINTR && errno != EAGAIN)) pipe->close(0);
    }
  }
  return true;
}

}  // namespace

RunningProgram::RunningProgram(int group) : group_(group), slot_(0) {
  for (pid_t free = 0; slot_ < running.size(); ++slot_, free = 0)
    if (running[slot_].compare_exchange_strong(free, group)) return;
}
RunningProgram::~RunningProgram() {
  if (slot_ < running.size()) running[slot_] = 0;
}
void RunningProgram::kill() const { ::kill(-group_, SIGKILL); }

void kill_programs() noexcept {
  for (const std::atomic<pid_t>& one : running)
    if (const pid_t group = one; group > 0) ::kill(-group, SIGKILL);
}

ProgramResult run_program(const std::string& name, const std::vector<std::string>& arguments, std::string_view input,
                          std::chrono::milliseconds at_most) {
  const auto deadline = std::chrono::steady_clock::now() + at_most;
  ProgramResult result;
  std::array<Pipe, 3> pipes;
  auto& [in, out, errors] = pipes;
  const NoPipeSignal no_signal;
  pid_t child = 0;
  const int failed = begin_program(name, arguments, no_signal.mask_before(), pipes, child);
  if (failed == ENOENT || failed == EACCES || failed == ENOTDIR) {
    result.not_found = true;
    return result;
  }
  if (failed != 0)
    throw Error(
        Problem{Code::cannot_write, "`" + name + "` could not be started: " + std::strerror(failed), {}, {}, {}});
  const RunningProgram noted(child);
  in.close(0);
  out.close(1);
  errors.close(1);
  result.out_of_time = !exchange(in, out, errors, input, result, deadline);
  if (result.out_of_time) noted.kill();

  // A program may close its pipes and go on: the deadline holds until it has ended.
  int status = 0;
  for (pid_t ended = 0; ended != child;) {
    ended = ::waitpid(child, &status, result.out_of_time ? 0 : WNOHANG);
    if (ended < 0 && errno != EINTR) break;
    if (ended != 0) continue;
    if (std::chrono::steady_clock::now() >= deadline) {
      result.out_of_time = true;
      noted.kill();
    } else {
      const timespec moment{0, 1'000'000};
      ::nanosleep(&moment, nullptr);
    }
  }
  result.status = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  return result;
}

}  // namespace lofty::engine
