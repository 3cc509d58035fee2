#include "core/sky/instant.h"

#include <array>
#include <chrono>
#include <cmath>
#include <cstdio>

#include "core/base/number_text.h"

namespace nordstjerna {

namespace {
struct Civil {
    int year;
    unsigned month;
    unsigned day;
    double seconds; // since midnight
};

Civil civil(double unix_s) {
    const double dayNumber = std::floor(unix_s / 86400.0);
    const std::chrono::year_month_day date{
        std::chrono::sys_days{std::chrono::days{static_cast<int>(dayNumber)}}};
    return {static_cast<int>(date.year()), static_cast<unsigned>(date.month()),
            static_cast<unsigned>(date.day()), unix_s - dayNumber * 86400.0};
}
} // namespace

Expected<Instant> parseInstant(const std::string& text) {
    int year = 0;
    unsigned month = 0;
    unsigned day = 0;
    unsigned hour = 0;
    unsigned minute = 0;
    double second = 0.0;
    int used = 0;
    const auto bad = [&] {
        return problem(Text::say("\"%1\" is not a time.").arg(text),
                       Text::say("A time reads like 2026-10-14T19:05:12.3 (UTC)."),
                       Text::say("Correct the time."));
    };
    if (std::sscanf(text.c_str(), "%4d-%2u-%2u%n", &year, &month, &day, &used) < 3)
        return bad();
    std::string rest = text.substr(static_cast<size_t>(used));
    if (!rest.empty()) {
        int end = 0;
        if (std::sscanf(rest.c_str(), "%*1[T ]%2u:%2u%n", &hour, &minute, &end) < 2)
            return bad();
        rest = rest.substr(static_cast<size_t>(end));
        if (rest.starts_with(':')) {
            const auto read = readNumber(std::string_view(rest).substr(1));
            if (!read)
                return bad();
            second = read->value;
            rest = rest.substr(1 + read->length);
        }
        if (!rest.empty() && rest != "Z")
            return bad();
    }
    const std::chrono::year_month_day date{std::chrono::year{year}, std::chrono::month{month},
                                           std::chrono::day{day}};
    if (!date.ok() || hour > 23 || minute > 59 || !(second >= 0.0 && second < 61.0))
        return bad();
    const auto days = std::chrono::sys_days{date}.time_since_epoch().count();
    return Instant{static_cast<double>(days) * 86400.0 + hour * 3600.0 + minute * 60.0 + second};
}

std::string formatInstant(Instant t, int decimals) {
    const double unit = std::pow(10.0, decimals);
    const Civil c = civil(std::round(t.unix_s * unit) / unit + 1e-9);
    const int whole = static_cast<int>(c.seconds);
    const double fraction = std::max(0.0, c.seconds - whole - 1e-9);
    char buffer[64];
    std::snprintf(buffer, sizeof buffer, "%04d-%02u-%02uT%02d:%02d:", c.year, c.month, c.day, whole / 3600,
                  whole / 60 % 60);
    const double seconds = whole % 60 + fraction;
    return buffer + std::string(seconds < 10.0 ? "0" : "") + numberText(seconds, decimals);
}

std::string formatStamp(Instant t) {
    std::string text = formatInstant(t, 0);
    std::erase_if(text, [](char c) { return c == '-' || c == ':'; });
    return text;
}

std::string formatClock(Instant t, double utcOffset_h) {
    const int minutes = static_cast<int>(civil(t.unix_s + utcOffset_h * 3600.0).seconds / 60.0);
    char buffer[16];
    std::snprintf(buffer, sizeof buffer, "%02d:%02d", minutes / 60 % 24, minutes % 60);
    return buffer;
}

std::string formatDay(Instant t, double utcOffset_h) {
    static constexpr std::array months{"Jan", "Feb", "Mar", "Apr", "May", "Jun",
                                       "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};
    const Civil c = civil(t.unix_s + utcOffset_h * 3600.0);
    return std::to_string(c.day) + " " + months[c.month - 1] + " " + std::to_string(c.year);
}

} // namespace nordstjerna
