#include "desk/dialogs/frame_size.h"
#include "desk/dialogs/settings_dialog.h"
#include "desk/kit/form.h"
#include "scene/output_json.h"

#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>

namespace stage::desk {
namespace {

/// A row for each variant.
class VariantsDialog {
    Q_DECLARE_TR_FUNCTIONS(stage::desk::VariantsDialog)
    enum Column { Name, Width, Height, Sees, Right, Up, Columns };

public:
    VariantsDialog(QWidget* parent, const scene::Scene& scene)
        : m_scene(scene), m_form(parent, tr("Size variants"), tr("Apply")) {
        auto* told = new QLabel(tr("The same move in frames of other shapes, shown over the Camera view and "
                                   "written in one go. The "
                                   "scene's own frame has %1 × %2 px.")
                                    .arg(scene.output.frame.x)
                                    .arg(scene.output.frame.y));
        told->setWordWrap(true);
        m_form.layout->addRow(told);
        addTable();
        addButtons();
        for (const scene::Variant& each : scene.output.variants)
            add(each);
        show();
    }

    std::optional<edit::Edit> ask(const Previewer& previewer) {
        return askEdit(
            m_form, m_scene,
            [this](QString& complaint) -> edit::Edit {
                const auto all = variants();
                for (std::size_t i = 0; i < all.size(); ++i) {
                    if (all[i].name.empty())
                        complaint = tr("Each needs a name: it becomes part of the file's.");
                    for (std::size_t j = 0; j < i; ++j)
                        if (all[i].name == all[j].name)
                            complaint = tr("Two are named '%1'.").arg(QString::fromStdString(all[i].name));
                }
                return {{"edit", "variants"}, {"variants", scene::toJson(all)}};
            },
            previewer);
    }

private:
    void addTable() {
        m_table = new QTableWidget(0, Columns);
        m_table->setObjectName(QStringLiteral("variants"));
        m_table->setAccessibleName(tr("Size variants"));
        m_table->setHorizontalHeaderLabels(
            {tr("Name"), tr("Width"), tr("Height"), tr("It sees"), tr("Shift right"), tr("Shift up")});
        m_table->horizontalHeaderItem(Right)->setToolTip(
            tr("Of its own width; by a shifted lens, so that the perspective stays"));
        m_table->horizontalHeaderItem(Up)->setToolTip(
            tr("Of its own height; by a shifted lens, so that the perspective stays"));
        m_table->verticalHeader()->hide();
        m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
        m_table->setSelectionMode(QAbstractItemView::SingleSelection);
        m_table->setMinimumSize(720, 190);
        m_form.layout->addRow(m_table);
    }
    void addButtons() {
        auto* add = new QPushButton(tr("Add"));
        add->setObjectName(QStringLiteral("addVariant"));
        add->setAutoDefault(false);
        auto* menu = new QMenu(add);
        for (const ReadySize& each : readySizes())
            menu->addAction(each.text(), &m_form.dialog, [this, each] {
                this->add(ready(each.name, {each.size.width(), each.size.height()}));
                m_form.changed();
                show();
            });
        add->setMenu(menu);
        m_remove = new QPushButton(tr("Remove"));
        m_remove->setObjectName(QStringLiteral("removeVariant"));
        m_remove->setAutoDefault(false);
        QObject::connect(m_remove, &QPushButton::clicked, &m_form.dialog, [this] {
            m_table->removeRow(m_table->currentRow());
            m_form.changed();
            show();
        });
        QObject::connect(m_table, &QTableWidget::currentCellChanged, &m_form.dialog, [this] { show(); });
        auto* row = new QWidget;
        auto* layout = new QHBoxLayout(row);
        layout->setContentsMargins(0, 0, 0, 0);
        layout->addWidget(add);
        layout->addWidget(m_remove);
        layout->addStretch();
        m_form.layout->addRow(row);
    }
    void show() { m_remove->setEnabled(m_table->currentRow() >= 0); }

    /// One that shows nothing beyond the scene's own frame.
    scene::Variant ready(const QString& name, V2i frame) const {
        const V2i own = m_scene.output.frame;
        const bool narrower = std::int64_t{frame.x} * own.y < std::int64_t{own.x} * frame.y;
        scene::Variant variant{name.toStdString(), frame, narrower ? scene::Keep::Height : scene::Keep::Width,
                               V2d(0)};
        const auto taken = [&](const std::string& other) {
            const auto all = variants();
            return std::any_of(all.begin(), all.end(), [&](const auto& each) { return each.name == other; });
        };
        for (int n = 2; taken(variant.name); ++n)
            variant.name = name.toStdString() + " " + std::to_string(n);
        return variant;
    }
    void add(const scene::Variant& variant) {
        const int row = m_table->rowCount();
        m_table->insertRow(row);
        auto* name = new QLineEdit(QString::fromStdString(variant.name));
        auto* sees = new QComboBox;
        sees->addItems(keepTexts());
        sees->setCurrentIndex(static_cast<int>(variant.keep));
        const auto share = [](double value) {
            auto* box = new QDoubleSpinBox;
            box->setRange(-200, 200);
            box->setDecimals(1);
            box->setSuffix(tr(" %"));
            box->setValue(100 * value);
            return box;
        };
        QWidget* const cells[] = {name, pixelBox(variant.frame.x), pixelBox(variant.frame.y),
                                  sees, share(variant.shift.x),    share(variant.shift.y)};
        for (int column = 0; column < Columns; ++column) {
            cells[column]->setAccessibleName(m_table->horizontalHeaderItem(column)->text());
            m_table->setCellWidget(row, column, cells[column]);
            m_form.follow(cells[column]);
        }
        m_table->resizeColumnsToContents();
        m_table->setColumnWidth(Name, std::max(130, m_table->columnWidth(Name)));
        m_table->horizontalHeader()->setStretchLastSection(true);
        m_table->resizeRowsToContents();
        m_table->setCurrentCell(row, Name);
    }
    template <class Widget> Widget* cell(int row, Column column) const {
        return static_cast<Widget*>(m_table->cellWidget(row, column));
    }
    std::vector<scene::Variant> variants() const {
        std::vector<scene::Variant> all;
        for (int row = 0; row < m_table->rowCount(); ++row)
            all.push_back(
                {cell<QLineEdit>(row, Name)->text().trimmed().toStdString(),
                 {cell<QSpinBox>(row, Width)->value(), cell<QSpinBox>(row, Height)->value()},
                 static_cast<scene::Keep>(cell<QComboBox>(row, Sees)->currentIndex()),
                 V2d(cell<QDoubleSpinBox>(row, Right)->value(), cell<QDoubleSpinBox>(row, Up)->value()) /
                     100.0});
        return all;
    }

    const scene::Scene& m_scene;
    Form m_form;
    QTableWidget* m_table;
    QPushButton* m_remove;
};

}

std::optional<edit::Edit> askVariants(QWidget* parent, const scene::Scene& scene,
                                      const Previewer& previewer) {
    return VariantsDialog(parent, scene).ask(previewer);
}

}
