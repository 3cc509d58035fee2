#include "registry.h"

#include <QtTest>
#include <cstdio>
#include <map>
#include <string>

namespace testing_registry {

namespace {
std::map<std::string, Make>& classes() {
    static std::map<std::string, Make> all;
    return all;
}
} // namespace

bool add(const char* name, Make make) {
    return classes().emplace(name, make).second;
}

} // namespace testing_registry

#ifdef NORDSTJERNA_WINDOW_TESTS
#include "desk/desk_application.h"
#include "desk/pseudo_language.h"
using Application = nordstjerna::DeskApplication;
#else
using Application = QCoreApplication;
#endif

int main(int argc, char** argv) {
    Application app(argc, argv);
    const auto& all = testing_registry::classes();
    const auto wanted = argc > 1 ? all.find(argv[1]) : all.end();
    if (wanted == all.end()) {
        std::fprintf(stderr, "Name one of these tests:\n");
        for (const auto& [name, make] : all)
            std::fprintf(stderr, "  %s\n", name.c_str());
        return 2;
    }
#ifdef NORDSTJERNA_WINDOW_TESTS
    nordstjerna::PseudoLanguage invented;
    if (qEnvironmentVariableIsSet("NORDSTJERNA_PSEUDO"))
        QCoreApplication::installTranslator(&invented);
#endif
    // The library's watchdog counts the wall clock, which is nothing on a busy machine; CTest has the last
    // word.
    if (!qEnvironmentVariableIsSet("QTEST_FUNCTION_TIMEOUT"))
        qputenv("QTEST_FUNCTION_TIMEOUT", "3000000");
    const std::unique_ptr<QObject> test = wanted->second();
    argv[1] = argv[0];
    return QTest::qExec(test.get(), argc - 1, argv + 1);
}
