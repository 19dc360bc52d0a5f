#include "report/drawing.hpp"

#include <unicode/uchar.h>
#include <unicode/utf8.h>

#include <array>
#include <cmath>

#include "lofty/decimal.hpp"

namespace lofty::report {

double text_width(std::string_view text, double size, bool bold) {
  // Advance widths of DejaVu Sans, in thousandths of the size, from the blank on. Verdana, which browsers take instead,
  // has the same; Arial and Helvetica are narrower.
  static constexpr std::array<int, 95> widths = {
      318, 401, 460, 838, 636, 950, 780, 275, 390, 390, 500, 838, 318, 361,  318, 337, 636, 636, 636,
      636, 636, 636, 636, 636, 636, 636, 337, 337, 838, 838, 838, 531, 1000, 684, 686, 698, 770, 632,
      575, 775, 752, 295, 295, 656, 557, 863, 748, 787, 603, 787, 695, 635,  611, 732, 684, 989, 685,
      611, 685, 390, 337, 390, 838, 500, 500, 613, 635, 550, 635, 615, 352,  635, 634, 278, 278, 579,
      278, 974, 634, 612, 635, 635, 411, 521, 392, 634, 592, 818, 592, 592,  525, 636, 337, 636, 838};

  // Character by character; those without a width here by their kind.
  double thousandths = 0;
  const auto length = static_cast<std::int32_t>(text.size());
  const auto* const bytes = reinterpret_cast<const std::uint8_t*>(text.data());
  for (std::int32_t at = 0; at < length;) {
    UChar32 c;
    U8_NEXT(bytes, at, length, c);
    if (c >= 32 && c < 127) {
      thousandths += widths[static_cast<std::size_t>(c - 32)];
      continue;
    }
    const auto type = c < 0 ? 0 : u_charType(c);
    if (type == U_NON_SPACING_MARK || type == U_ENCLOSING_MARK || type == U_FORMAT_CHAR) continue;
    const auto east = c < 0 ? 0 : u_getIntPropertyValue(c, UCHAR_EAST_ASIAN_WIDTH);
    thousandths += east == U_EA_WIDE || east == U_EA_FULLWIDTH ? 1000 : type == U_UPPERCASE_LETTER ? 790 : 650;
  }
  return thousandths * size / 1000 * (bold ? 1.12 : 1);
}

void Drawing::text_within(double x, double y, const std::string& words, double size, Tone tone, double edge) {
  texts.push_back({{std::max(edge, std::min(x, width - edge - text_width(words, size))), y},
                   words,
                   size,
                   Anchor::start,
                   tone,
                   false});
}

std::vector<std::string> text_lines(std::string_view text, double size, double width) {
  std::vector<std::string> lines;
  std::string line;
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t end = std::min(text.find(' ', at), text.size());
    const std::string word(text.substr(at, end - at));
    if (!line.empty() && text_width(line + " " + word, size) > width) {
      lines.push_back(std::move(line));
      line.clear();
    }
    line += (line.empty() ? "" : " ") + word;
    at = end + 1;
  }
  if (!line.empty()) lines.push_back(std::move(line));
  return lines;
}

std::vector<double> round_steps(double least, double most, int count) {
  if (!(most > least)) most = least + 1;
  const double rough = (most - least) / count;
  const double power = std::pow(10, std::floor(std::log10(rough)));
  const double digit = rough / power;
  const double step = power * (digit <= 1.0001 ? 1 : digit <= 2.0001 ? 2 : digit <= 5.0001 ? 5 : 10);
  std::vector<double> steps;
  const auto first = std::llround(std::floor(least / step + 1e-9)), last = std::llround(std::ceil(most / step - 1e-9));
  for (auto i = first; i <= last; ++i) steps.push_back(static_cast<double>(i) * step);
  return steps;
}

std::string round_text(double number, double step) {
  int decimals = 0;
  while (decimals < 12 && std::fabs(step * std::pow(10, decimals) - std::round(step * std::pow(10, decimals))) > 1e-6)
    ++decimals;
  const double scaled = number * std::pow(10, decimals);
  if (std::fabs(scaled) > 1e17) {
    const int power = static_cast<int>(std::floor(std::log10(std::fabs(number))));
    return round_text(number / std::pow(10, power), 0.1) + "e" + std::to_string(power);
  }
  return Decimal(static_cast<int128>(std::llround(scaled)), decimals).grouped_text();
}

}  // namespace lofty::report
