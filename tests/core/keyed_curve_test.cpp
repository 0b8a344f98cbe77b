#include "support/case.h"
#include "support/notation.h"

#include "core/time/keyed_curve.h"

#include <gsl/gsl_integration.h>

using namespace garland;
using namespace garland::testing;

class KeyedCurveTest : public QObject {
    Q_OBJECT
    static KeyedCurve keys(const char* text) { return *parse_keys(text, "a curve"); }
  private slots:
    void values_between_keys() {
        const CurvePlan c(keys("10:0 20:1 smooth 30:3 step 40:5"), 1);
        QCOMPARE(c.at(0), 0.0);
        QCOMPARE(c.at(15), 0.5);
        QCOMPARE(c.at(25), 2.0); // 3x² − 2x³ at the middle
        QCOMPARE(c.at(22.5), 1 + 2 * (3 * 0.0625 - 2 * 0.015625));
        QCOMPARE(c.at(39.9), 3.0);
        QCOMPARE(c.at(40), 5.0);
        QCOMPARE(c.at(1e6), 5.0);
        QCOMPARE(CurvePlan(KeyedCurve{}, 0.75).at(3), 0.75);
    }
    void slopes_are_the_change_of_values() {
        const CurvePlan c(keys("0:0 smooth 10:4 20:1 smooth 35:2"), 0);
        for (double x : {1.3, 5.0, 9.2, 13.0, 24.0, 33.0}) {
            const double h = 1e-6;
            QVERIFY(close(c.slope(x), (c.at(x + h) - c.at(x - h)) / (2 * h), 1e-6));
        }
        QCOMPARE(c.slope(-3), 0.0);
        QCOMPARE(c.slope(40), 0.0);
    }
    // Exact integrals against GSL's adaptive quadrature with the keys as break points.
    void integrals_agree_with_quadrature() {
        const CurvePlan c(keys("0:1 smooth 12:0 20:0 step 31:0.75 smooth 50:1"), 1);
        gsl_function f{[](double x, void* plan) { return static_cast<const CurvePlan*>(plan)->at(x); },
                       const_cast<CurvePlan*>(&c)};
        gsl_integration_workspace* w = gsl_integration_workspace_alloc(400);
        for (auto [from, to] : {std::pair{-10.0, 60.0}, std::pair{3.0, 29.5}, std::pair{31.0, 44.0},
                                std::pair{40.0, 7.0}, std::pair{-8.0, -2.0}}) {
            std::vector<double> points{std::min(from, to)};
            for (double k : {0.0, 12.0, 20.0, 31.0, 50.0}) {
                if (k > points[0] && k < std::max(from, to)) points.push_back(k);
            }
            points.push_back(std::max(from, to));
            double integral = 0, error = 0;
            gsl_integration_qagp(&f, points.data(), points.size(), 1e-11, 1e-11, 400, w, &integral, &error);
            QVERIFY(close(c.integral(from, to), from < to ? integral : -integral, 1e-9));
        }
        gsl_integration_workspace_free(w);
        QCOMPARE(CurvePlan(KeyedCurve{}, 0.5).integral(2, 6), 2.0);
    }
    void text_goes_there_and_back() {
        for (const char* text : {"", "0:0 1:1", "0:1 smooth 96:0 step 120:0.25"}) {
            QCOMPARE(QString::fromStdString(to_text(keys(text))), QString(text));
        }
        for (const char* bad : {"1", "a:1", "0:", "smooth 0:1", "0:1 bouncy", "0:nan"})
            QVERIFY2(!parse_keys(bad, "a curve"), bad);
    }
    void broken_keys_are_refused() {
        const CurveLimits amount{-1e9, 1e9, 0, 1};
        QVERIFY(validate(keys("0:0 1:1"), "an amount", amount));
        QVERIFY(!validate(keys("0:0 0:1"), "an amount", amount));
        QVERIFY(!validate(keys("5:0 1:1"), "an amount", amount));
        QVERIFY(!validate(keys("0:0 1:1.5"), "an amount", amount));
        const auto out = validate(keys("0:0 1:1 2:-1"), "an amount", amount);
        QVERIFY(out.error().message.find("key 3 of an amount") != std::string::npos);
        KeyedCurve free = keys("0:0 1:1");
        free[0].toward = Toward::free;
        QVERIFY(!validate(free, "an amount", amount));
    }
};
GARLAND_TEST_CASE(KeyedCurveTest)
#include "keyed_curve_test.moc"
