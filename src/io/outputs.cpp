// Which files a call writes, and that none of them is one that it reads.

#include "lofty/outputs.hpp"

#include <fcntl.h>
#include <sys/stat.h>

#include <algorithm>

#include "io/new_file.hpp"
#include "io/open_file.hpp"
#include "io/sqlite_words.hpp"
#include "io/write_marks.hpp"
#include "io/write_workbook.hpp"

namespace lofty {
namespace {

namespace fs = std::filesystem;

std::pair<std::uint64_t, std::uint64_t> identity_of(const fs::path& file) {
  struct stat status {};
  if (::stat(file.c_str(), &status) != 0) return {0, 0};
  return {static_cast<std::uint64_t>(status.st_dev), static_cast<std::uint64_t>(status.st_ino)};
}

// A name without links and dots, also of a file that is not there.
fs::path canonical_of(const fs::path& file) {
  std::error_code error;
  fs::path canonical = fs::weakly_canonical(fs::absolute(file, error), error);
  return error ? file : canonical;
}

// Devices and pipes are neither inputs nor outputs in this sense.
bool is_special(const fs::path& file) {
  struct stat status {};
  return ::stat(file.c_str(), &status) == 0 && !S_ISREG(status.st_mode) && !S_ISDIR(status.st_mode);
}

Error refusal(Code code, const Output& output, std::string sentence, std::string advice) {
  Problem p{code, std::move(sentence), {}, {}, std::move(advice)};
  p.location.key = output.option;
  return Error(std::move(p));
}

// `mode`: rolling back what a killed writer left takes a connection that may write.
bool has_table(const fs::path& file, const std::string& table, int mode = SQLite::OPEN_READONLY) {
  try {
    constexpr int patience = 10'000;  // milliseconds that another writer may take
    const SQLite::Database db(file.string(), mode, patience);
    SQLite::Statement found(db, "select 1 from sqlite_master where lower(name) = lower(?)");
    found.bind(1, table);
    return found.executeStep();
  } catch (const SQLite::Exception& error) {
    if (error.getErrorCode() == SQLITE_READONLY && mode == SQLite::OPEN_READONLY)
      return has_table(file, table, SQLite::OPEN_READWRITE);
    throw engine::sqlite_failure(file, error, Code::cannot_open, "cannot be read");
  }
}

bool is_earlier_answer(const Output& output, const Standings* answer, const engine::OpenFile& file) {
  const auto bytes = [&](std::uint64_t from, std::size_t count) {
    engine::TextBuffer text;
    file.read(from, count, text);
    return std::string(text.begin(), text.end());
  };
  const auto begins_with = [&](const std::string& mark) { return bytes(0, mark.size()) == mark; };
  switch (output.kind) {
    case Output::Kind::csv: return answer != nullptr && begins_with(engine::csv_heading(*answer));
    case Output::Kind::json: return begins_with(engine::json_mark);
    case Output::Kind::standings: return begins_with(engine::standings_mark);
    case Output::Kind::markdown: {
      const std::string mark = engine::markdown_mark;
      return file.size() >= mark.size() && bytes(file.size() - mark.size(), mark.size()) == mark;
    }
    case Output::Kind::page: return begins_with(engine::page_mark);
    case Output::Kind::svg: return bytes(0, 1024).find(engine::svg_mark) != std::string::npos;
    case Output::Kind::png: return engine::is_marked_png(bytes(0, 256));
    case Output::Kind::pdf: {
      const std::string mark = engine::pdf_mark;
      return file.size() >= mark.size() && bytes(file.size() - mark.size(), mark.size()) == mark;
    }
    case Output::Kind::workbook: return engine::is_our_workbook(file.read_all());
    case Output::Kind::ladder:
    case Output::Kind::table: break;
  }
  return false;
}

}  // namespace

void FileSet::add(const fs::path& file) {
  names_.push_back(file);
  canonical_.push_back(canonical_of(file));
  identities_.push_back(identity_of(file));
}

void FileSet::add(const FileSet& other) {
  names_.insert(names_.end(), other.names_.begin(), other.names_.end());
  canonical_.insert(canonical_.end(), other.canonical_.begin(), other.canonical_.end());
  identities_.insert(identities_.end(), other.identities_.begin(), other.identities_.end());
}

std::optional<fs::path> FileSet::find(const fs::path& file) const {
  const auto identity = identity_of(file);
  const fs::path canonical = canonical_of(file);
  for (std::size_t i = 0; i < names_.size(); ++i)
    if ((identity.second != 0 && identities_[i] == identity) || canonical_[i] == canonical) return names_[i];
  return std::nullopt;
}

void check_apart(std::span<const Output> outputs, const FileSet& inputs) {
  for (std::size_t i = 0; i < outputs.size(); ++i) {
    const Output& output = outputs[i];
    if (is_special(output.file)) continue;
    const auto input = inputs.find(output.file);
    // A database that is read may take another table, but none of its tables is replaced meanwhile.
    if (input && output.kind == Output::Kind::table && !has_table(output.file, output.table)) continue;
    if (input)
      throw refusal(Code::replaces_input, output,
                    output.kind == Output::Kind::table
                        ? "the table `" + output.table + "` is in " + input->string() + ", which this run reads"
                    : *input == output.file ? output.file.string() + " is an input of this run, and would be replaced"
                                            : output.file.string() + " is the file " + input->string() +
                                                  ", an input of this run, and would be replaced",
                    "write to another file");

    // Two outputs.
    for (std::size_t k = 0; k < i; ++k) {
      FileSet other;
      other.add(outputs[k].file);
      const bool tables = output.kind == Output::Kind::table && outputs[k].kind == Output::Kind::table;
      if (other.find(output.file) && !tables)
        throw refusal(Code::replaces_input, output,
                      outputs[k].option + " and " + output.option + " name the same file, " + output.file.string(),
                      "write to two files");
    }
  }
}

Replaces what_it_replaces(const Output& output, const Standings* answer) {
  Replaces found;
  struct stat status {};
  if (::stat(output.file.c_str(), &status) != 0 || !S_ISREG(status.st_mode)) return found;
  found.bytes = static_cast<std::uintmax_t>(status.st_size);
  if (output.kind == Output::Kind::table) {
    if (found.bytes > 0 && has_table(output.file, output.table)) found.what = Replaces::What::other;
    return found;
  }
  found.what = Replaces::What::other;
  if (is_earlier_answer(output, answer, engine::OpenFile(output.file))) found.what = Replaces::What::earlier_answer;
  return found;
}

void check_replaces(const Output& output, const Replaces& found) {
  if (found.what != Replaces::What::other) return;
  if (output.kind == Output::Kind::table)
    throw refusal(
        Code::would_replace, output, output.file.string() + " has a table `" + output.table + "` already",
        "write.replace to replace it, or another name: " + output.file.filename().string() + "#" + output.table + "_2");
  throw refusal(Code::would_replace, output,
                output.file.string() + " is there already" +
                    (output.kind == Output::Kind::ladder ? "" : ", and is not plainly an earlier answer of this kind"),
                "write.replace to replace it, or another name");
}

}  // namespace lofty
