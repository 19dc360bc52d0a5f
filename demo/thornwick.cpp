#include "thornwick.hpp"

#include <algorithm>
#include <array>
#include <charconv>
#include <cstdio>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

namespace thornwick {
namespace {

// SplitMix64 (S. Vigna, public domain algorithm): the standard's distributions differ between libraries.
class Random {
 public:
  explicit Random(std::uint64_t seed) : state_(seed) {}
  std::uint64_t next() {
    std::uint64_t z = (state_ += 0x9e3779b97f4a7c15ULL);
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31);
  }
  std::uint64_t below(std::uint64_t n) {
    __extension__ using wide = unsigned __int128;
    return static_cast<std::uint64_t>((static_cast<wide>(next()) * n) >> 64);
  }

 private:
  std::uint64_t state_;
};

struct Family {
  const char* name;
  const char* product;
  int products;
  int least_price, step;  // pence
  int grams;
};

constexpr std::array<Family, 7> families = {{{"Honey", "Honey", 9, 480, 85, 340},
                                             {"Comb", "Comb", 12, 620, 40, 200},
                                             {"Wax", "Beeswax Block", 5, 350, 60, 100},
                                             {"Candles", "Candle", 8, 290, 75, 150},
                                             {"Mead", "Mead", 4, 1290, 210, 750},
                                             {"Soap", "Soap Bar", 6, 310, 35, 90},
                                             {"Gifts", "Gift Basket", 4, 2400, 800, 1200}}};
constexpr std::array<const char*, 9> honeys = {"Heather Honey", "Lime Honey",        "Clover Honey",
                                               "Bramble Honey", "Set Honey",         "Chestnut Honey",
                                               "Sæter Honey",   "Späte Linde Honey", "Été Honey"};
constexpr std::array<const char*, 18> first_words = {"Crooked", "Gilded", "Ærlig",  "Ålesby", "Old",     "Merry",
                                                     "Éclair",  "Quiet",  "Brass",  "Little", "Østen's", "Blue",
                                                     "tin",     "Winter", "Señora", "Twin",   "Über",    "Hollow"};
constexpr std::array<const char*, 14> second_words = {"Kettle",  "Larder", "Pantry", "Thimble", "Corner",
                                                      "Lantern", "Café",   "Crumb",  "Barrow",  "Hearth",
                                                      "Spoon",   "STORES", "Basket", "Wren"};
constexpr std::array<const char*, 7> valleys = {"High Moor",   "Ashwater",     "Brindlemere", "Thornwick Dale",
                                                "Öster Sedge", "Nether Combe", "Elsewhere"};

struct Product {
  int number;
  std::string name, family;
  int price, grams;
};

std::vector<Product> make_products() {
  std::vector<Product> products;
  int number = 101;
  for (const Family& family : families)
    for (int i = 0; i < family.products; ++i) {
      std::string name = family.name == std::string("Honey")
                             ? honeys[static_cast<std::size_t>(i)]
                             : std::string(family.product) + " " + std::to_string(i + 1);
      products.push_back(
          {number++, std::move(name), family.name, family.least_price + family.step * i, family.grams + 50 * i});
    }
  return products;
}

// A file written through one large buffer.
class Out {
 public:
  explicit Out(const std::filesystem::path& path) : file_(std::fopen(path.c_str(), "wb")), path_(path) {
    if (file_ == nullptr) throw std::runtime_error("cannot write " + path.string());
    buffer_.reserve(capacity);
  }
  Out(const Out&) = delete;
  Out& operator=(const Out&) = delete;
  ~Out() {
    if (file_ != nullptr) std::fclose(file_);
  }
  Out& operator<<(std::string_view text) {
    buffer_ += text;
    return *this;
  }
  Out& operator<<(std::int64_t number) {
    char digits[24];
    buffer_.append(digits, std::to_chars(digits, digits + sizeof digits, number).ptr);
    return *this;
  }
  void money(std::int64_t pence) {
    *this << pence / 100 << ".";
    buffer_ += static_cast<char>('0' + pence % 100 / 10);
    buffer_ += static_cast<char>('0' + pence % 10);
  }
  void end_line() {
    buffer_ += '\n';
    if (buffer_.size() > capacity - 1024) flush();
  }
  void close() {
    flush();
    if (std::fclose(std::exchange(file_, nullptr)) != 0) throw std::runtime_error("cannot write " + path_.string());
  }

 private:
  static constexpr std::size_t capacity = 1 << 20;
  void flush() {
    if (std::fwrite(buffer_.data(), 1, buffer_.size(), file_) != buffer_.size())
      throw std::runtime_error("cannot write " + path_.string());
    buffer_.clear();
  }
  std::FILE* file_;
  std::filesystem::path path_;
  std::string buffer_;
};

// Days since 2024-03-01 as text; two years and a bit, leap day excluded by the start.
std::string day_text(int day) {
  static constexpr std::array<int, 12> lengths = {31, 30, 31, 30, 31, 31, 30, 31, 30, 31, 31, 28};  // March to February
  int year = 2024 + day / 365, rest = day % 365;
  std::size_t month = 0;
  while (rest >= lengths[month]) rest -= lengths[month++];
  const int calendar_month = static_cast<int>(month + 2) % 12 + 1;
  if (calendar_month <= 2) ++year;
  char text[48];
  std::snprintf(text, sizeof text, "%04d-%02d-%02d", year, calendar_month, rest + 1);
  return text;
}

class Tables {
 public:
  Tables(const std::filesystem::path& folder, const Size& size)
      : folder_(folder), size_(size), random_(size.seed), products_(make_products()) {
    shops_ = size.shops > 0 ? std::max<std::uint64_t>(size.shops, 20) : std::max<std::uint64_t>(214, size.lines / 1000);
    spend_.assign(shops_, 0);
    // A shop's number says nothing about its weight.
    by_weight_.resize(shops_);
    for (std::uint64_t i = 0; i < shops_; ++i) by_weight_[i] = i;
    for (std::uint64_t i = shops_ - 1; i > 0; --i) std::swap(by_weight_[i], by_weight_[random_.below(i + 1)]);
    without_orders_ = by_weight_[shops_ / 2];
  }

  void write() {
    write_products();
    write_shops();
    write_lines();
  }

 private:
  void write_products() {
    Out out(folder_ / "products.csv");
    out << "product_no,product,family,pack_grams";
    out.end_line();
    for (const Product& p : products_) {
      out << std::int64_t{p.number} << "," << p.name << "," << p.family << "," << std::int64_t{p.grams};
      out.end_line();
    }
    out.close();
  }

  void write_shops() {
    Out out(folder_ / "shops.csv");
    out << "shop_no,shop,valley,opened_on,account";
    out.end_line();
    for (std::uint64_t i = 0; i < shops_; ++i) {
      const std::uint64_t combination = i * 37 % (first_words.size() * second_words.size());
      std::string name = std::string(first_words[combination % first_words.size()]) + " " +
                         second_words[combination / first_words.size()];
      if (i >= first_words.size() * second_words.size())
        name += " " + std::to_string(i / (first_words.size() * second_words.size()) + 1);
      const bool no_valley = i == by_weight_[shops_ / 5];
      const std::uint64_t account = random_.below(40);
      out << shop_number(i) << "," << name << "," << (no_valley ? "" : valleys[random_.below(valleys.size())]) << ","
          << opened_on() << ","
          << (account == 0  ? "closed"
              : account < 3 ? "paused"
                            : "open");
      out.end_line();
    }
    out.close();
  }

  std::string opened_on() {
    const auto year = static_cast<std::int64_t>(2009 + random_.below(15)),
               month = static_cast<std::int64_t>(1 + random_.below(12)),
               day = static_cast<std::int64_t>(1 + random_.below(28));
    char text[48];
    std::snprintf(text, sizeof text, "%04d-%02d-%02d", static_cast<int>(year), static_cast<int>(month),
                  static_cast<int>(day));
    return text;
  }

  static std::int64_t shop_number(std::uint64_t index) { return static_cast<std::int64_t>(index) + 1; }

  struct Line {
    std::uint64_t shop;  // index; shops_ is the unknown one
    std::size_t product;
    std::int64_t quantity;
    std::int64_t price;  // pence; -1 for none
    const char* status;
  };

  void put(Out& out, const Line& line, std::string_view day) {
    out << static_cast<std::int64_t>(++line_no_) << "," << static_cast<std::int64_t>(order_no_) << "," << day << ","
        << (line.shop == shops_ ? shop_number(shops_) + 785 : shop_number(line.shop)) << ","
        << std::int64_t{products_[line.product].number} << "," << line.quantity << ",";
    if (line.price >= 0) out.money(line.price);
    out << "," << line.status;
    out.end_line();
    if (line.shop < shops_ && line.price >= 0 && std::string_view(line.status) != "void")
      spend_[line.shop] += line.quantity * line.price;
  }

  // Heavier shops come first in by_weight_; half of the orders favour them, half are anybody's.
  std::uint64_t pick_shop() {
    for (;;) {
      const std::uint64_t a = random_.below(shops_), b = random_.below(shops_), c = random_.below(shops_);
      const std::uint64_t shop = by_weight_[random_.below(2) == 0 ? c : std::min(a, b)];
      if (shop != without_orders_) return shop;
    }
  }

  Line make_line(std::uint64_t shop) {
    Line line{shop, random_.below(products_.size() - 1), 1 + static_cast<std::int64_t>(random_.below(12)), 0, "paid"};
    line.price = products_[line.product].price - static_cast<std::int64_t>(random_.below(4)) * 5;
    const std::uint64_t fate = random_.below(1000);
    if (fate < 60)
      line.status = "open";
    else if (fate < 85)
      line.status = "void";
    else if (fate < 97)
      line.status = "returned";
    else if (fate < 100)
      line.status = "";
    else if (fate == 100)
      line.status = "Paid ";
    else if (fate < 104)
      line.price = -1;
    if (line.status[0] == 'r') line.quantity = -std::min<std::int64_t>(line.quantity, 3);
    return line;
  }

  void write_lines() {
    Out out(folder_ / "order_lines.csv");
    out << "line_no,order_no,ordered_on,shop_no,product_no,quantity,unit_price,status";
    out.end_line();
    constexpr int days = 730;
    order_no_ = 50'000;
    int day = -1;
    std::string day_written;
    const std::uint64_t unknown_at = size_.lines / 3;
    while (line_no_ < size_.lines) {
      ++order_no_;
      const int today = static_cast<int>(line_no_ * (days - 1) / std::max<std::uint64_t>(size_.lines, 1));
      if (today != day) day_written = day_text(day = today);
      const bool unknown = line_no_ <= unknown_at && line_no_ + 7 > unknown_at && !unknown_done_;
      const std::uint64_t shop = unknown ? shops_ : pick_shop(), lines = unknown ? 1 : 1 + random_.below(6);
      unknown_done_ = unknown_done_ || unknown;
      for (std::uint64_t i = 0; i < lines && line_no_ < size_.lines; ++i) put(out, make_line(shop), day_written);
    }
    if (size_.lines > 0) {
      const std::string last = day_text(days - 1);
      level(out, last, 1, 0);  // the second shop draws level with the first
      level(out, last, 9, 8);  // the tenth and the eleventh with the ninth
      level(out, last, 10, 8);
    }
    out.close();
  }

  // An order that brings the shop at place `low` exactly to the spend of the one at place `high` (counted from 0).
  void level(Out& out, std::string_view day, std::size_t low, std::size_t high) {
    std::vector<std::uint64_t> order(shops_);
    for (std::uint64_t i = 0; i < shops_; ++i) order[i] = i;
    const std::size_t upto = std::max(low, high) + 1;
    std::partial_sort(
        order.begin(), order.begin() + static_cast<std::ptrdiff_t>(upto), order.end(),
        [&](std::uint64_t a, std::uint64_t b) { return spend_[a] != spend_[b] ? spend_[a] > spend_[b] : a < b; });
    const std::int64_t missing = spend_[order[high]] - spend_[order[low]];
    if (missing <= 0) return;
    ++order_no_;
    const std::size_t basket = products_.size() - 1;
    const std::int64_t price = products_[basket].price;
    if (missing >= price) put(out, {order[low], basket, missing / price, price, "paid"}, day);
    if (missing % price != 0) put(out, {order[low], basket, 1, missing % price, "paid"}, day);
  }

  std::filesystem::path folder_;
  Size size_;
  Random random_;
  std::vector<Product> products_;
  std::uint64_t shops_ = 0, without_orders_ = 0, line_no_ = 0, order_no_ = 0;
  bool unknown_done_ = false;
  std::vector<std::int64_t> spend_;
  std::vector<std::uint64_t> by_weight_;
};

}  // namespace

void write_tables(const std::filesystem::path& folder, const Size& size) {
  std::filesystem::create_directories(folder);
  Tables(folder, size).write();
}

}  // namespace thornwick
