// A library to be preloaded into the tool, which makes the N-th call of a kind fail. Counting begins with main(), and
// goes on in child processes.
//
//   LOFTY_FAULT=KIND:N[:WHAT]   KIND is read, write, open, sync, rename, close, stdio, alloc, thread, map; WHAT is an
//   errno's
//                               number (for reads also `short`), `signal15` and the like, `kill`, or one of what
//                               `change` does to LOFTY_FAULT_FILE: `shrink`, `grow`, `rewrite`
//   LOFTY_FAULT_EARLY=1         counting begins with the first allocation of the process, before main()
//   LOFTY_FAULT_COUNT=FILE      how many calls there were of KIND is written into FILE
//
// Calls on standard input, output and error are left alone.
#ifndef _GNU_SOURCE
#define _GNU_SOURCE
#endif
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <atomic>
#include <new>

extern "C" {
void* __libc_malloc(size_t);
void* __libc_calloc(size_t, size_t);
void* __libc_realloc(void*, size_t);
}

namespace {

enum Kind { none, reads, writes, opens, syncs, renames, closes, stdio, allocations, threads, maps };
constexpr const char* kinds[] = {"",      "read",  "write", "open",   "sync", "rename",
                                 "close", "stdio", "alloc", "thread", "map"};

std::atomic<bool> armed{false};
std::atomic<long> own_calls{0};
std::atomic<long>* calls = &own_calls;  // shared with child processes
Kind kind = none;
long wanted = 0;
char what[32] = "";
const char* file = nullptr;

template <class Function>
Function real(const char* name) {
  return reinterpret_cast<Function>(dlsym(RTLD_NEXT, name));
}

void change_file() {
  const int to = static_cast<int>(syscall(SYS_openat, AT_FDCWD, file, O_RDWR));
  struct stat status {};
  if (to < 0 || fstat(to, &status) != 0) return;
  if (strcmp(what, "shrink") == 0) {
    if (ftruncate(to, status.st_size / 2) != 0) return;
  } else if (strcmp(what, "grow") == 0) {
    lseek(to, 0, SEEK_END);
    syscall(SYS_write, to, "9,9,9\n", 6);
  } else {  // other bytes, and the time of change that comes with them
    char byte = 0;
    lseek(to, status.st_size - 2, SEEK_SET);
    if (syscall(SYS_read, to, &byte, 1) != 1) return;
    byte = byte == '7' ? '8' : '7';
    lseek(to, status.st_size - 2, SEEK_SET);
    syscall(SYS_write, to, &byte, 1);
    const timespec times[2] = {{0, UTIME_OMIT}, {status.st_mtim.tv_sec + 1, 0}};
    futimens(to, times);
  }
  syscall(SYS_close, to);
}

// Is this the call that fails? Then errno is set; a signal or a change happens here and the call goes on.
bool fails(Kind of) {
  if (kind != of || !armed.load(std::memory_order_relaxed)) return false;
  if (++*calls != wanted) return false;
  if (strcmp(what, "kill") == 0) kill(getpid(), SIGKILL);
  if (strncmp(what, "signal", 6) == 0) {
    raise(atoi(what + 6));
    return false;
  }
  if (file != nullptr) {
    change_file();
    return false;
  }
  errno = what[0] != 0 ? atoi(what) : of == allocations || of == maps ? ENOMEM : EIO;
  return true;
}

void read_fault() {
  const char* const fault = getenv("LOFTY_FAULT");
  if (fault == nullptr || kind != none) return;
  for (int k = reads; k <= maps; ++k) {
    const size_t length = strlen(kinds[k]);
    if (strncmp(fault, kinds[k], length) != 0 || fault[length] != ':') continue;
    kind = static_cast<Kind>(k);
    wanted = atol(fault + length + 1);
    const char* const more = strchr(fault + length + 1, ':');
    if (more != nullptr) strncpy(what, more + 1, sizeof what - 1);
  }
  file = getenv("LOFTY_FAULT_FILE");
}

// Before main() allocations come from libraries that are being set up.
void arm_early() {
  static bool looked = false;
  if (looked || environ == nullptr) return;
  looked = true;
  if (getenv("LOFTY_FAULT_EARLY") == nullptr) return;
  read_fault();
  armed = wanted != 0;
}

int (*real_main)(int, char**, char**);
int armed_main(int argc, char** argv, char** environment) {
  armed = wanted != 0;
  const int status = real_main(argc, argv, environment);
  armed = false;
  return status;
}

void report() {
  const char* const to = getenv("LOFTY_FAULT_COUNT");
  if (to == nullptr) return;
  const int out = static_cast<int>(syscall(SYS_openat, AT_FDCWD, to, O_WRONLY | O_CREAT | O_TRUNC, 0600));
  char text[32];
  const int size = snprintf(text, sizeof text, "%ld\n", calls->load());
  syscall(SYS_write, out, text, size);
}

}  // namespace

extern "C" {

int __libc_start_main(int (*main)(int, char**, char**), int argc, char** argv, void (*init)(), void (*fini)(),
                      void (*rtld_fini)(), void* stack_end) {
  if (getenv("LOFTY_FAULT") != nullptr) {
    read_fault();
    void* const shared = mmap(nullptr, sizeof *calls, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (shared != MAP_FAILED) calls = new (shared) std::atomic<long>(own_calls.load());
    atexit(report);
  }
  real_main = main;
  return real<int (*)(int (*)(int, char**, char**), int, char**, void (*)(), void (*)(), void (*)(), void*)>(
      "__libc_start_main")(armed_main, argc, argv, init, fini, rtld_fini, stack_end);
}

void* malloc(size_t size) {
  arm_early();
  return fails(allocations) ? nullptr : __libc_malloc(size);
}
void* calloc(size_t count, size_t size) { return fails(allocations) ? nullptr : __libc_calloc(count, size); }
void* realloc(void* old, size_t size) { return fails(allocations) ? nullptr : __libc_realloc(old, size); }

ssize_t read(int from, void* into, size_t count) {
  if (from > 2 && fails(reads)) {
    if (strcmp(what, "short") != 0) return -1;
    count = count > 1 ? count / 2 : count;
  }
  return syscall(SYS_read, from, into, count);
}
ssize_t pread64(int from, void* into, size_t count, off64_t offset) {
  if (from > 2 && fails(reads)) {
    if (strcmp(what, "short") != 0) return -1;
    count = count > 1 ? count / 2 : count;
  }
  return syscall(SYS_pread64, from, into, count, offset);
}
ssize_t pread(int from, void* into, size_t count, off_t offset) { return pread64(from, into, count, offset); }
ssize_t write(int to, const void* from, size_t count) {
  return to > 2 && fails(writes) ? -1 : syscall(SYS_write, to, from, count);
}
ssize_t pwrite64(int to, const void* from, size_t count, off64_t offset) {
  return to > 2 && fails(writes) ? -1 : syscall(SYS_pwrite64, to, from, count, offset);
}
ssize_t pwrite(int to, const void* from, size_t count, off_t offset) { return pwrite64(to, from, count, offset); }

// Room for a file that is yet to be written counts as a write.
int posix_fallocate64(int of, off64_t begin, off64_t size) {
  if (of > 2 && fails(writes)) return errno;
  return syscall(SYS_fallocate, of, 0, begin, size) == 0 ? 0 : errno;
}
int posix_fallocate(int of, off_t begin, off_t size) { return posix_fallocate64(of, begin, size); }
void* mmap64(void* at, size_t size, int protection, int flags, int of, off64_t offset) {
  if (fails(maps)) return MAP_FAILED;
  return reinterpret_cast<void*>(syscall(SYS_mmap, at, size, protection, flags, of, offset));
}
void* mmap(void* at, size_t size, int protection, int flags, int of, off_t offset) {
  return mmap64(at, size, protection, flags, of, offset);
}

int open64(const char* path, int flags, ...) {
  mode_t mode = 0;
  if ((flags & (O_CREAT | O_TMPFILE)) != 0) {
    va_list more;
    va_start(more, flags);
    mode = va_arg(more, mode_t);
    va_end(more);
  }
  return fails(opens) ? -1 : static_cast<int>(syscall(SYS_openat, AT_FDCWD, path, flags, mode));
}
int open(const char* path, int flags, ...) __attribute__((alias("open64")));
int fsync(int of) { return fails(syncs) ? -1 : static_cast<int>(syscall(SYS_fsync, of)); }
int fdatasync(int of) { return fails(syncs) ? -1 : static_cast<int>(syscall(SYS_fdatasync, of)); }
int rename(const char* from, const char* to) {
  return fails(renames) ? -1 : static_cast<int>(syscall(SYS_renameat2, AT_FDCWD, from, AT_FDCWD, to, 0));
}
int renameat2(int from_folder, const char* from, int to_folder, const char* to, unsigned flags) {
  return fails(renames) ? -1 : static_cast<int>(syscall(SYS_renameat2, from_folder, from, to_folder, to, flags));
}
int close(int of) {
  const bool failing = of > 2 && fails(closes);
  const int result = static_cast<int>(syscall(SYS_close, of));
  return failing ? -1 : result;
}

size_t fwrite(const void* from, size_t size, size_t count, FILE* to) {
  if (to != stdout && to != stderr && fails(stdio)) return 0;
  return real<size_t (*)(const void*, size_t, size_t, FILE*)>("fwrite")(from, size, count, to);
}
int __fprintf_chk(FILE* to, int flag, const char* format, ...) {
  va_list more;
  va_start(more, format);
  const bool failing = to != stdout && to != stderr && fails(stdio);
  const int result =
      failing ? -1 : real<int (*)(FILE*, int, const char*, va_list)>("__vfprintf_chk")(to, flag, format, more);
  va_end(more);
  return result;
}
int fclose(FILE* of) {
  const bool failing = of != stdout && of != stderr && fails(stdio);
  const int result = real<int (*)(FILE*)>("fclose")(of);
  return failing ? EOF : result;
}

int pthread_create(pthread_t* thread, const pthread_attr_t* attributes, void* (*start)(void*), void* argument) {
  if (fails(threads)) return EAGAIN;
  return real<int (*)(pthread_t*, const pthread_attr_t*, void* (*)(void*), void*)>("pthread_create")(thread, attributes,
                                                                                                     start, argument);
}

}  // extern "C"
