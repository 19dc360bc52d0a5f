// Problems as messages: what, where, with the text marked, and what would be right.

#include <algorithm>

#include "lofty/listing.hpp"
#include "report/width.hpp"

namespace lofty {

using namespace report;

namespace {

// The line of `text` that holds the offence, cut to what fits, and a line of marks below it.
std::string marked(const Location& location, const Looks& looks) {
  std::string_view text = location.text;
  std::size_t offset = std::min(location.offset, text.size()), length = std::max<std::size_t>(1, location.length);
  const std::size_t before = text.substr(0, offset).rfind('\n');
  if (before != std::string_view::npos) {
    text.remove_prefix(before + 1);
    offset -= before + 1;
  }
  text = text.substr(0, text.find('\n'));
  length = std::min(length, std::max<std::size_t>(1, text.size() - std::min(offset, text.size())));

  // A long line shows the neighbourhood of the offence only.
  const auto room = static_cast<std::size_t>(std::max(40, looks.width - 8));
  std::string lead;
  if (text.size() > room && offset > room / 2) {
    std::size_t cut = offset - room / 3;
    while (cut < text.size() && (text[cut] & 0xc0) == 0x80) ++cut;
    text.remove_prefix(cut);
    offset -= cut;
    lead = "... ";
  }

  // And its end is cut.
  if (text.size() > room) {
    std::size_t end = room;
    while (end > 0 && (text[end] & 0xc0) == 0x80) --end;
    text = text.substr(0, end);
    length = std::min(length, std::max<std::size_t>(1, text.size() - std::min(offset, text.size())));
  }

  // Before the offence, the offence, after it; and the marks below.
  const std::string first = printable(text.substr(0, offset)),
                    middle = printable(text.substr(std::min(offset, text.size()), length));
  const std::string rest = offset + length < text.size() ? printable(text.substr(offset + length)) : "";
  const int indent = display_width(lead) + display_width(first), width = std::max(1, display_width(middle));
  std::string marks;
  for (int i = 0; i < width; ++i) marks += "\xE2\x80\xBE";  // an overline, below the text
  return "    " + lead + first + inked(middle, Ink::mark, looks) + rest + "\n    " +
         std::string(static_cast<std::size_t>(indent), ' ') + marks + "\n";
}

}  // namespace

std::string problems_text(const std::vector<Problem>& problems, const Looks& looks) {
  std::string out;
  for (const Problem& p : problems) {
    if (!out.empty()) out += "\n";
    std::string where = printable(p.location.file);
    if (p.location.line > 0) where += (where.empty() ? "line " : ", line ") + std::to_string(p.location.line);
    if (p.location.column > 0) where += ", column " + std::to_string(p.location.column);
    if (!p.location.key.empty() && p.location.line == 0)
      where += (where.empty() ? "" : ", ") + printable(p.location.key);
    const std::string head = where.empty() ? "" : where + ": ";
    const std::string body = wrapped(head + printable(p.sentence), looks.width, 2);
    // Where the head itself was wrapped, it is not worth finding again for the sake of ink.
    out += body.starts_with(head) ? inked(head, Ink::strong, looks) + body.substr(head.size()) : body;
    out += "\n";
    if (!p.location.text.empty()) out += marked(p.location, looks);
    if (!p.nearest.empty()) out += "  nearest: " + inked(printable(p.nearest), Ink::strong, looks) + "\n";
    if (!p.advice.empty()) out += "  " + wrapped("try: " + printable(p.advice), looks.width - 2, 7) + "\n";
  }
  return out;
}

}  // namespace lofty
