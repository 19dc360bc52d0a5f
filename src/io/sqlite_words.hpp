#pragma once
// What reading and writing SQLite files say alike.

#include <SQLiteCpp/SQLiteCpp.h>
#include <sqlite3.h>

#include <filesystem>
#include <string>

#include "lofty/error.hpp"

namespace lofty::engine {

// A name as SQL writes it: "odd "" name".
inline std::string sqlite_name(const std::string& name) {
  std::string out = "\"";
  for (const char c : name) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + "\"";
}

// What stopped SQLite. `otherwise`: the code and the words for what is neither damage nor a lock.
inline Error sqlite_failure(const std::filesystem::path& file, const SQLite::Exception& error, Code otherwise,
                            const std::string& words) {
  Problem p{otherwise, {}, {}, {}, {}};
  p.location.file = file.string();
  switch (error.getErrorCode()) {
    case SQLITE_NOTADB:
    case SQLITE_CORRUPT:
      p.code = Code::damaged_file;
      p.sentence = std::string("this is no SQLite file, or a damaged one: ") + error.what();
      break;
    case SQLITE_BUSY:
    case SQLITE_LOCKED:
      p.sentence = "another program is writing to it and has locked it";
      p.advice = "try again when it is done, or take a copy";
      break;
    default: p.sentence = words + ": " + error.what();
  }
  return Error(std::move(p));
}

}  // namespace lofty::engine
