#include "checks/finding.h"

#include <cstdio>

namespace stage::checks {

std::string figure(double value, int decimals) {
    char text[64];
    std::snprintf(text, sizeof text, "%.*f", decimals, value);
    return text;
}

}
