#pragma once
// An output file while it is being written: a temporary file in the target's folder that takes the target's name once
// it is whole.
//
// The temporary file is created exclusively, under an unpredictable name, with the mode and owner of the file
// that it will replace. It is locked (flock) while its writer lives. A file of that naming scheme that is not locked
// was left by a killed process; the next NewFile with the same target removes it. Signal handlers remove the files of
// the running process through lofty::remove_unfinished_files().
// Covered by tests/reliability/new_file_test.cpp.

#include <filesystem>
#include <string_view>

#include "lofty/error.hpp"

namespace lofty::engine {

// The file that writing to `file` changes: symbolic links are followed, also one whose target is not there yet.
// Throws Error(cannot_open) where links lead in a circle.
std::filesystem::path output_target(const std::filesystem::path& file);

// The error of a system call on `file`: "what: No space left on device".
Error file_failure(Code code, const std::filesystem::path& file, const std::string& what, int error_number);

// Writes all of `text`; false, with errno set, where that fails.
bool write_all(int descriptor, std::string_view text);

class NewFile {
 public:
  // `file` is what messages call the target. Throws Error(cannot_open) where its folder is not there or not writable.
  explicit NewFile(const std::filesystem::path& file);
  NewFile(const NewFile&) = delete;
  NewFile& operator=(const NewFile&) = delete;
  ~NewFile();  // removes the temporary file where it did not become the target

  // Where a library is to write that opens files by name. It must write into this file, not replace it.
  const std::filesystem::path& path() const { return path_; }
  // Appends. Throws Error(cannot_write).
  void write(std::string_view text);

  // Flushes to disk, then renames: the target is replaced. Throws Error(cannot_write); the target is then unchanged.
  void replace_target();
  // The same, but never replaces: false, and nothing changed, where the target exists by now. Throws as above.
  bool become_target();

 private:
  void flush();
  void forget();
  std::filesystem::path file_, target_, path_;
  int descriptor_ = -1;
  std::size_t slot_ = 0;
};

}  // namespace lofty::engine
