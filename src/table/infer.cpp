#include "table/infer.hpp"

#include <fast_float/fast_float.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/folded.hpp"
#include "value/short_numbers.hpp"

namespace lofty::engine {
namespace {

// Plain numbers of up to 18 digits, which is nearly all of them. False: look closer.
inline bool read_short_number(std::string_view text, Reading& out) {
  const char* at = text.data();
  const char* const end = at + text.size();
  if (text.size() > 18 || at == end) return false;
  const bool negative = *at == '-';
  at += negative;
  const char* const first = at;
  std::int64_t value = 0;
  while (at != end && static_cast<unsigned char>(*at - '0') < 10) value = value * 10 + (*at++ - '0');
  const auto whole = at - first;

  // The decimals.
  int scale = 0;
  if (at != end) {
    if (*at != '.') return false;
    ++at;
    const char* const decimals = at;
    while (at != end && static_cast<unsigned char>(*at - '0') < 10) value = value * 10 + (*at++ - '0');
    scale = static_cast<int>(at - decimals);
    if (at != end || scale == 0) return false;
  } else if (whole == 0) {
    return false;
  }
  out.look = whole > 1 && *first == '0' ? Look::padded : scale > 0 ? Look::decimal : Look::integer;
  out.coefficient = negative ? -value : value;
  out.scale = scale;
  return true;
}

bool is_exponent_form(std::string_view text) {
  return text.find_first_of("eE") != std::string_view::npos &&
         text.find_first_not_of("0123456789+-.eE") == std::string_view::npos && text[0] != '+';
}

}  // namespace

Reading read_text(std::string_view text) {
  Reading reading;
  if (text.empty() || read_short_number(text, reading)) return reading;
  const char first = text[0];

  // What begins like a number: a date, a moment, a number, one with an exponent.
  if ((first >= '0' && first <= '9') || first == '-' || first == '.') {
    if (text.size() == 10) {
      if (const auto day = Date::parse(text)) {
        reading.look = Look::date;
        reading.instant = day->days;
        return reading;
      }
    }
    bool zoned = false;
    if (const auto moment = Timestamp::parse(text, &zoned)) {
      reading.look = zoned ? Look::zoned : Look::timestamp;
      reading.instant = moment->microseconds;
      return reading;
    }
    if (text.back() != '.') {
      if (const auto number = Decimal::parse(text)) {
        const std::string_view digits = text.substr(first == '-');
        const bool padded = digits.size() > 1 && digits[0] == '0' && digits[1] != '.';
        reading.look = padded ? Look::padded : number->scale() > 0 ? Look::decimal : Look::integer;
        reading.coefficient = number->coefficient();
        reading.scale = number->scale();
        return reading;
      }
    }
    if (is_exponent_form(text)) {
      const auto result = fast_float::from_chars(text.data(), text.data() + text.size(), reading.number);
      if (result.ec == std::errc{} && result.ptr == text.data() + text.size() && std::isfinite(reading.number))
        reading.look = Look::exponent;
    }
    return reading;
  }

  // Else a truth value, or text.
  if (text.size() <= 5 && (equal_folded(text, "true") || equal_folded(text, "false"))) {
    reading.look = Look::boolean;
    reading.instant = text.size() == 4;
  }
  return reading;
}

std::size_t Census::values() const {
  std::size_t sum = 0;
  for (std::size_t i = 1; i < looks; ++i) sum += count[i];
  return sum;
}

void Census::merge(const Census& other) {
  for (std::size_t i = 0; i < looks; ++i) count[i] += other.count[i];
  scale = std::max(scale, other.scale);
  least_scale = std::min(least_scale, other.least_scale);
}

Type type_from(const Census& census) {
  const std::size_t values = census.values();
  const auto fit = [&](std::size_t fitting) { return values > 0 && fitting * 100 >= values * 99; };
  const std::size_t exact = census.of(Look::integer) + census.of(Look::decimal);
  if (fit(census.of(Look::boolean))) return {.kind = Kind::boolean};
  if (census.of(Look::padded) == 0) {
    if (fit(exact) && census.of(Look::decimal) == 0) return {.kind = Kind::integer};
    if (fit(exact)) return {.kind = Kind::decimal, .scale = census.scale};
    if (fit(exact + census.of(Look::exponent))) return {.kind = Kind::floating};
  }
  if (fit(census.of(Look::date))) return {.kind = Kind::date};
  const std::size_t zoned = census.of(Look::zoned);
  if (fit(census.of(Look::timestamp) + zoned))
    return {.kind = Kind::timestamp, .zoned = zoned > census.of(Look::timestamp)};
  return {.kind = Kind::text};
}

void PieceReader::add_fields(const FieldRun& fields) {
  for (std::size_t done = 0; done < fields.count; ++done) {
    if (short_numbers_)
      done += add_short_numbers(fields, done);
    else if (last_code_ != Dictionary::none)
      done += add_same_texts(fields, done);
    else if (!dates_.empty() && reads_dates())
      done += add_known_dates(fields, done);
    if (done == fields.count) break;
    const std::string_view text = fields[done];
    if (text.empty()) {
      add_null();
      continue;
    }
    add(text);
    if (reads_dates()) remember_date(text);
  }
}

// The commonest numbers: up to eight digits, with exactly as many decimals as the piece has, no sign. Returns how many
// of them follow one another from field `from` on.
std::size_t PieceReader::add_short_numbers(const FieldRun& fields, std::size_t from) {
  const auto scale = static_cast<std::size_t>(piece_.type.scale);
  if (scale > 7) return 0;
  const std::size_t before = piece_.ints.size(), count = fields.count - from;
  piece_.ints.resize(before + count);
  const std::size_t added = read_short_numbers(fields.text, fields.begin + from * fields.stride, fields.stride, count,
                                               scale, piece_.ints.data() + before);
  piece_.ints.resize(before + added);
  alike_ += added;
  return added;
}

// How many fields from `from` on have the text of the one before them.
std::size_t PieceReader::add_same_texts(const FieldRun& fields, std::size_t from) {
  const std::string_view last = piece_.dictionary.text(last_code_);
  std::size_t r = from;
  if (last.size() > 8) {
    while (r < fields.count && fields[r] == last) ++r;
  } else {
    // As numbers: up to eight bytes, and what is read behind them is masked.
    std::uint64_t wanted = 0;
    std::memcpy(&wanted, last.data(), last.size());
    std::uint64_t mask = ~std::uint64_t{0};
    if (last.size() < 8) {
      mask = 0;
      std::memset(&mask, 0xff, last.size());
    }
    for (; r < fields.count; ++r) {
      const std::uint32_t* const at = fields.begin + r * fields.stride;
      std::uint64_t word;
      std::memcpy(&word, fields.text + at[0], sizeof word);
      if (at[1] - at[0] - 1 != last.size() || ((word ^ wanted) & mask) != 0) break;
    }
  }
  piece_.codes.insert(piece_.codes.end(), r - from, last_code_);
  alike_ += r - from;
  return r - from;
}

namespace {

struct TenBytes {
  std::uint64_t first;
  std::uint16_t second;
  explicit TenBytes(const char* text) {
    std::memcpy(&first, text, sizeof first);
    std::memcpy(&second, text + sizeof first, sizeof second);
  }
  std::size_t place(std::size_t places) const {
    return ((first ^ std::uint64_t{second} << 48) * 0x9e3779b97f4a7c15ULL >> 40) % places;
  }
};

}  // namespace

void PieceReader::remember_date(std::string_view text) {
  if (text.size() != 10 || piece_.ints.empty() || piece_.ints.back() == int64_null) return;
  if (dates_.empty()) dates_.resize(known_dates);
  const TenBytes bytes(text.data());
  dates_[bytes.place(known_dates)] = {bytes.first, bytes.second, static_cast<std::int32_t>(piece_.ints.back())};
}

// How many fields from `from` on are dates that were read before.
std::size_t PieceReader::add_known_dates(const FieldRun& fields, std::size_t from) {
  std::size_t r = from;
  for (; r < fields.count; ++r) {
    const std::uint32_t* const at = fields.begin + r * fields.stride;
    if (at[1] - at[0] != 11) break;
    const TenBytes bytes(fields.text + at[0]);
    const KnownDate& known = dates_[bytes.place(known_dates)];
    if (known.first != bytes.first || known.second != bytes.second) break;
    piece_.ints.push_back(known.days);
  }
  alike_ += r - from;
  return r - from;
}

PieceReader::PieceReader(std::optional<Type> forced, std::shared_ptr<const Specimen> written)
    : forced_(forced), written_(std::move(written)), piece_(forced.value_or(Type{Kind::text})) {
  started_ = forced.has_value();
}

void PieceReader::start(const Type& type) {
  piece_ = Piece(type);
  started_ = true;
  switch (lane_of(type)) {
    case Lane::float64: piece_.doubles.reserve(room_); break;
    case Lane::code:
      piece_.codes.swap(buffer_.codes);
      piece_.codes.reserve(room_);
      break;
    default: piece_.ints.swap(buffer_.ints); piece_.ints.reserve(room_);
  }
  for (; leading_nulls_ > 0; --leading_nulls_) piece_.add_null();
}

void PieceReader::misfit(std::string_view text) {
  // A guess that fails this often will be made again with another type, so the list would be thrown away.
  if (!forced_ && misfits_.size() > 1000 && misfits_.size() * 10 > rows_) hopeless_ = true;
  if (!hopeless_) misfits_.push_back({rows_, std::string(text)});
  piece_.add_null();
}

void PieceReader::convert(std::string_view text, const Reading& reading) {
  const Look look = reading.look;
  switch (piece_.type.kind) {
    case Kind::integer:
      if (look == Look::integer || (forced_ && look == Look::padded && reading.scale == 0))
        return piece_.add_wide(reading.coefficient);
      break;
    case Kind::decimal:
      if (look == Look::integer || look == Look::decimal || (forced_ && look == Look::padded)) {
        if (reading.scale > piece_.type.scale) piece_.rescale(reading.scale);
        int128 lifted;
        if (!scale_up(reading.coefficient, piece_.type.scale - reading.scale, lifted)) break;
        return piece_.add_wide(lifted);
      }
      break;
    case Kind::floating:
      if (look == Look::exponent) return piece_.add_double(reading.number);
      if (look == Look::integer || look == Look::decimal || look == Look::padded)
        return piece_.add_double(Decimal(reading.coefficient, reading.scale).to_double());
      break;
    case Kind::date:
      if (look == Look::date) return piece_.add_integer(reading.instant);
      break;
    case Kind::timestamp:
      if (look == Look::timestamp || look == Look::zoned) return piece_.add_integer(reading.instant);
      if (forced_ && look == Look::date) return piece_.add_integer(reading.instant * 86'400'000'000);
      break;
    case Kind::boolean:
      if (look == Look::boolean) return piece_.add_integer(reading.instant);
      break;
    default: return piece_.add_text(text);
  }
  misfit(text);
}

// A text of a declared form, as it would be read if it were written the usual way.
Reading PieceReader::read_written(std::string_view text) {
  const auto value = written_->read(text);
  if (!value) return {};
  Reading reading;
  if (const auto* const number = std::get_if<Decimal>(&*value)) {
    reading.look = number->scale() > 0 ? Look::decimal : Look::integer;
    reading.coefficient = number->coefficient();
    reading.scale = number->scale();
    if (!written_->mark().empty())
      ++(text.find(written_->mark()) != std::string_view::npos ? marks_.with : marks_.without);
  } else if (const auto* const day = std::get_if<Date>(&*value)) {
    reading.look = Look::date;
    reading.instant = day->days;
  } else {
    reading.look = Look::timestamp;
    reading.instant = std::get<Timestamp>(*value).microseconds;
  }
  return reading;
}

void PieceReader::add(std::string_view text) {
  count_alike();
  if (forced_ && forced_->kind == Kind::text)
    piece_.add_text(text);
  else
    add_guessing(text);
  if (forced_ && forced_->kind == Kind::text) ++census_.count[static_cast<std::size_t>(Look::other)];
  ++rows_;
  short_numbers_ = started_ && !forced_ && piece_.type.exact() && piece_.wide.empty();
  // Not of an empty text: an empty field after it is null.
  const bool repeats = piece_.type.kind == Kind::text && !piece_.codes.empty() && !text.empty();
  last_code_ = repeats ? piece_.codes.back() : Dictionary::none;
}

void PieceReader::add_guessing(std::string_view text) {
  const Reading reading = written_ ? read_written(text) : read_text(text);
  ++census_.count[static_cast<std::size_t>(reading.look)];
  last_look_ = reading.look;
  if (reading.look == Look::decimal) {
    census_.scale = std::max(census_.scale, reading.scale);
    census_.least_scale = std::min(census_.least_scale, reading.scale);
  }
  if (!started_) {
    Census one;
    ++one.count[static_cast<std::size_t>(reading.look)];
    one.scale = reading.scale;
    start(type_from(one));
  }
  // An integer column that meets its first decimal becomes one of decimals: nothing stored so far is lost.
  if (piece_.type.kind == Kind::integer && reading.look == Look::decimal && !forced_) piece_.type.kind = Kind::decimal;
  convert(text, reading);
}

bool PieceReader::serves(const Type& type) const {
  if (forced_) return forced_->kind == type.kind;
  if (hopeless_) return false;
  if (!started_) return true;  // nothing but nulls
  const Kind kind = piece_.type.kind;
  return kind == type.kind || (kind == Kind::integer && type.kind == Kind::decimal);
}

Piece PieceReader::take(const Type& type) {
  if (!started_) start(type);
  if (piece_.type.kind == Kind::integer) piece_.type.kind = type.kind;
  piece_.type.zoned = type.zoned;
  return std::move(piece_);
}

}  // namespace lofty::engine
