#include "support/support.h"

namespace stage::test {

std::string sourceFolder() {
    return STAGE_SOURCE_DIR;
}

std::string cli() {
    return STAGE_CLI;
}

}
