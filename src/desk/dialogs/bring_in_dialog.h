// What to take of the files about to be brought in: layers with their pictures, numbered pictures as a clip.
#pragma once

#include "edit/bring_in.h"
#include "media/pixel_cache.h"
#include "media/probe.h"

#include <QDialog>
#include <memory>

class QComboBox;
class QTreeWidget;
class QTreeWidgetItem;

namespace stage::desk {

struct Offered {
    std::filesystem::path file;
    media::Contents contents;
    std::optional<std::filesystem::path> sequence; ///< that the file is a picture of
};

class BringInDialog : public QDialog {
    Q_OBJECT
public:
    BringInDialog(std::vector<Offered> offered, std::shared_ptr<media::PixelCache> cache,
                  QWidget* parent = nullptr);

    /// Files in their order; sequences in place of their pictures.
    std::vector<std::filesystem::path> files() const;
    edit::BringInOptions options() const;

    /// Whether there is anything to choose.
    static bool needed(const std::vector<Offered>& offered);

private:
    void addStack(QTreeWidgetItem* parent, const media::Contents& contents,
                  const std::vector<media::StackItem>& items);
    void preview(QTreeWidgetItem* item, scene::Layer layer);

    std::vector<Offered> m_offered;
    std::shared_ptr<media::PixelCache> m_cache;
    QTreeWidget* m_tree;
    QComboBox* m_as;
    std::vector<QTreeWidgetItem*> m_roots;
};

}
