#include "desk/dialogs/bring_in_dialog.h"

#include "desk/jobs/workers.h"
#include "desk/look/theme.h"
#include "media/content.h"

#include <QApplication>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QPointer>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <set>

namespace stage::desk {
namespace {

constexpr int side = 48, partRole = Qt::UserRole, sequenceRole = Qt::UserRole + 1;

/// The picture on a quiet ground, in a square.
QImage thumbnail(const media::Raster& raster) {
    QImage small(raster.size.x, raster.size.y, QImage::Format_ARGB32);
    for (int y = 0; y < raster.size.y; ++y)
        for (int x = 0; x < raster.size.x; ++x) {
            const Imath::half* p = raster.row(y) + 4 * x;
            const float a = p[3], k = a > 0 ? 1 / a : 0;
            const auto byte = [&](float v) {
                return static_cast<int>(std::clamp(media::srgbFromLinear(v * k), 0.f, 1.f) * 255 + 0.5f);
            };
            small.setPixel(x, y, qRgba(byte(p[0]), byte(p[1]), byte(p[2]), static_cast<int>(a * 255 + 0.5f)));
        }
    QImage out(side, side, QImage::Format_ARGB32_Premultiplied);
    out.fill(theme::raised);
    QPainter painter(&out);
    const QImage fitted = small.scaled(side, side, Qt::KeepAspectRatio, Qt::SmoothTransformation);
    painter.drawImage((side - fitted.width()) / 2, (side - fitted.height()) / 2, fitted);
    return out;
}

}

bool BringInDialog::needed(const std::vector<Offered>& offered) {
    return std::any_of(offered.begin(), offered.end(),
                       [](const Offered& each) { return each.contents.stack || each.sequence; });
}

BringInDialog::BringInDialog(std::vector<Offered> offered, std::shared_ptr<media::PixelCache> cache,
                             QWidget* parent)
    : QDialog(parent), m_offered(std::move(offered)), m_cache(std::move(cache)) {
    setWindowTitle(tr("Bring in"));
    resize(620, 560);
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(10);
    auto* hint = new QLabel(
        tr("Untick what shall stay out. Everything that comes in keeps its place in the picture."));
    hint->setObjectName(QStringLiteral("dim"));
    layout->addWidget(hint);
    m_tree = new QTreeWidget;
    m_tree->setObjectName(QStringLiteral("offered"));
    m_tree->setHeaderLabels({tr("Layer"), tr("Size"), tr("Look")});
    m_tree->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_tree->header()->setStretchLastSection(false);
    m_tree->setIconSize(QSize(side, side));
    m_tree->setColumnWidth(1, 110);
    m_tree->setColumnWidth(2, 130);
    layout->addWidget(m_tree, 1);
    for (const Offered& each : m_offered) {
        auto* root = new QTreeWidgetItem(m_tree);
        root->setText(0, QString::fromStdString(each.file.filename().string()));
        root->setText(1, QStringLiteral("%1 × %2").arg(each.contents.canvas.x).arg(each.contents.canvas.y));
        root->setExpanded(true);
        m_roots.push_back(root);
        if (each.contents.stack) {
            root->setFlags(root->flags() | Qt::ItemIsUserCheckable | Qt::ItemIsAutoTristate);
            root->setCheckState(0, Qt::Checked);
            addStack(root, each.contents, each.contents.stack->items);
        } else {
            scene::Layer layer;
            layer.pixels = each.contents.size;
            if (each.contents.footage)
                layer.content = *each.contents.footage;
            else
                layer.content = scene::Picture{each.contents.media, ""};
            preview(root, std::move(layer));
        }
        if (each.sequence) {
            auto* item = new QTreeWidgetItem(root);
            item->setText(0, tr("Take all of %1 as one clip")
                                 .arg(QString::fromStdString(each.sequence->filename().string())));
            item->setData(0, sequenceRole, true);
            item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
            item->setCheckState(0, Qt::Unchecked);
        }
    }
    auto* row = new QHBoxLayout;
    auto* label = new QLabel(tr("Layered files become"));
    m_as = new QComboBox;
    m_as->addItems({tr("layers"), tr("a group"), tr("one layer")});
    m_as->setAccessibleName(tr("Layered files become"));
    label->setBuddy(m_as);
    row->addWidget(label);
    row->addWidget(m_as);
    row->addStretch();
    layout->addLayout(row);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    buttons->button(QDialogButtonBox::Ok)->setText(tr("Bring in"));
    buttons->button(QDialogButtonBox::Ok)->setDefault(true);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    layout->addWidget(buttons);
    connect(m_tree, &QTreeWidget::itemChanged, this, [this, buttons] {
        bool any = false;
        for (std::size_t i = 0; i < m_roots.size(); ++i)
            any = any || !m_offered[i].contents.stack || m_roots[i]->checkState(0) != Qt::Unchecked;
        buttons->button(QDialogButtonBox::Ok)->setEnabled(any);
    });
}

void BringInDialog::addStack(QTreeWidgetItem* parent, const media::Contents& contents,
                             const std::vector<media::StackItem>& items) {
    // Topmost first, as they cover each other.
    for (auto each = items.rbegin(); each != items.rend(); ++each) {
        auto* item = new QTreeWidgetItem(parent);
        item->setText(0, QString::fromStdString(each->name));
        QStringList look;
        if (!each->visible) look << tr("hidden");
        if (each->opacity < 1)
            look << QStringLiteral("%1 %").arg(static_cast<int>(each->opacity * 100 + 0.5));
        if (each->blend != scene::Blend::Normal) {
            const auto name = scene::blendNames[static_cast<std::size_t>(each->blend)];
            look << QString::fromLatin1(name.data(), static_cast<qsizetype>(name.size()));
        }
        item->setText(2, look.join(QStringLiteral(", ")));
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
        if (each->isStack) {
            item->setFlags(item->flags() | Qt::ItemIsAutoTristate);
            item->setExpanded(true);
            addStack(item, contents, each->items);
            item->setCheckState(0, Qt::Checked);
            continue;
        }
        item->setCheckState(0, Qt::Checked);
        item->setText(1, QStringLiteral("%1 × %2").arg(each->size.x).arg(each->size.y));
        item->setData(0, partRole, QString::fromStdString(each->part));
        scene::Layer layer;
        layer.pixels = each->size;
        layer.content = scene::Picture{contents.media, each->part};
        preview(item, std::move(layer));
    }
}

void BringInDialog::preview(QTreeWidgetItem* item, scene::Layer layer) {
    QPixmap blank(side, side);
    blank.fill(theme::raised);
    item->setIcon(0, blank);
    onWorker([self = QPointer(this), item, cache = m_cache, layer = std::move(layer)] {
        const auto raster = guarded([&] {
            const auto source = media::contentOf(layer, 0);
            int level = 0;
            const auto sizeAt = [&] { return media::levelSize(source->size(), level); };
            while (std::max(sizeAt().x, sizeAt().y) > 2 * side)
                ++level;
            return cache->read(source, level, media::boxOf(sizeAt()));
        });
        if (!raster) return; // told when it is brought in
        onInterface([self, item, image = thumbnail(*raster)] {
            if (self) item->setIcon(0, QPixmap::fromImage(image));
        });
    });
}

std::vector<std::filesystem::path> BringInDialog::files() const {
    std::vector<std::filesystem::path> files;
    std::set<std::filesystem::path> sequences;
    for (std::size_t i = 0; i < m_offered.size(); ++i) {
        const Offered& each = m_offered[i];
        if (each.contents.stack && m_roots[i]->checkState(0) == Qt::Unchecked) continue;
        bool sequence = false;
        for (int n = 0; n < m_roots[i]->childCount(); ++n)
            sequence = sequence || (m_roots[i]->child(n)->data(0, sequenceRole).toBool() &&
                                    m_roots[i]->child(n)->checkState(0) == Qt::Checked);
        if (!sequence)
            files.push_back(each.file);
        else if (sequences.insert(*each.sequence).second)
            files.push_back(*each.sequence);
    }
    return files;
}

edit::BringInOptions BringInDialog::options() const {
    edit::BringInOptions options;
    options.as = static_cast<edit::As>(m_as->currentIndex());
    bool all = true;
    const std::function<void(const QTreeWidgetItem*)> gather = [&](const QTreeWidgetItem* item) {
        const QVariant part = item->data(0, partRole);
        if (part.isValid()) {
            if (item->checkState(0) == Qt::Checked)
                options.parts.push_back(part.toString().toStdString());
            else
                all = false;
        }
        for (int i = 0; i < item->childCount(); ++i)
            gather(item->child(i));
    };
    for (const QTreeWidgetItem* root : m_roots)
        gather(root);
    if (all) options.parts.clear();
    return options;
}

}
