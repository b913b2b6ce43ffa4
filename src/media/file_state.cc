#include "media/file_state.h"

#include <sys/stat.h>

namespace stage::media {

std::string fileState(const std::string& path) {
    struct stat info = {};
    ::stat(path.c_str(), &info);
    return path + '\n' + std::to_string(info.st_size) + '\n' + std::to_string(info.st_mtim.tv_sec) + '.' +
           std::to_string(info.st_mtim.tv_nsec) + '\n' + std::to_string(info.st_ino) + '\n';
}

}
