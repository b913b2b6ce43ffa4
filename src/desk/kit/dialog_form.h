// What all dialogs of the desk are made of: named rows, a complaint, two buttons.
#pragma once

#include "desk/kit/number_field.h"
#include "edit/edit.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QTimer>
#include <functional>
#include <optional>

class QComboBox;
class QSpinBox;

namespace stage::desk {

/// Shows all views as they would be after an edit; null: as they are.
using Previewer = std::function<void(const edit::Edit*)>;

struct Form {
    QDialog dialog;
    QFormLayout* layout;
    QDialogButtonBox* buttons;

    Form(QWidget* parent, const QString& title, const QString& ok);
    /// While it is open, all views show what the rows say, and it stands beside them. build gives the whole
    /// edit; where it adds a complaint, the last good one stays shown. After the rows have been added.
    void showLive(Previewer previewer, std::function<edit::Edit(QString& complaint)> build);
    /// What is typed or chosen in a widget that was added after showLive() is shown too.
    void follow(QWidget* widget);
    /// The rows say something else.
    void changed() { m_settled.start(); }
    /// Until it is cancelled or check() gives no complaint. Begins in the first row.
    bool run(const std::function<QString()>& check = [] { return QString(); });

private:
    void show();
    QTimer m_settled;
    Previewer m_previewer;
    std::function<edit::Edit(QString& complaint)> m_build;
};

/// The edit that build() makes of the rows, once the scene takes it; build adds a sentence to the complaint
/// where it cannot. Nothing when it is cancelled.
std::optional<edit::Edit> askEdit(Form& form, const scene::Scene& scene,
                                  const std::function<edit::Edit(QString& complaint)>& build,
                                  const Previewer& previewer = {});
/// A row in which a layer is chosen, or what `first` names (0). besides: left out.
QComboBox* layerRow(Form& form, const scene::Scene& scene, const QString& name, const QString& first,
                    std::int64_t now, const std::vector<std::int64_t>& besides = {});
/// A row for the number that chance begins with.
QSpinBox* seedRow(Form& form, const QString& name, std::int64_t now, const QString& tip);
/// A row for a number, with its accessible name.
NumberField* number(Form& form, const QString& name, scene::Measured measured, const QString& unit,
                    int decimals, double step, double value, const QString& tip);
/// What a field says now, also when it was not entered; a sentence is added to the complaint.
double read(NumberField* field, QString& complaint);

}
