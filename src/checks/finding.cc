#include "checks/finding.h"

#include <cstdio>
#include <tuple>

namespace stage::checks {

bool worse(const Finding& a, const Finding& b) {
    return std::tuple(a.kind, -a.excess, a.at) < std::tuple(b.kind, -b.excess, b.at);
}

std::string figure(double value, int decimals) {
    char text[64];
    std::snprintf(text, sizeof text, "%.*f", decimals, value);
    return text;
}

}
