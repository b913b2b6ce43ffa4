// The staged set written for programs of space, and cameras taken from them: glTF 2.0. Both ask for a file.
#pragma once

class QWidget;

namespace stage::desk {

class Session;

void chooseAndWriteGltf(QWidget* window, Session& session);
void chooseAndTakeCamera(QWidget* window, Session& session);

}
