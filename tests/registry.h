// One program a ring holds all its test classes; its first argument names the class to run. CTest runs each
// on its own.
#pragma once

#include <QObject>
#include <memory>

namespace testing_registry {

using Make = std::unique_ptr<QObject> (*)();
bool add(const char* name, Make make);

} // namespace testing_registry

// After the class, in its source file.
#define NORDSTJERNA_TEST(Class)                                                                              \
    static const bool registered##Class =                                                                    \
        testing_registry::add(#Class, [] { return std::unique_ptr<QObject>(std::make_unique<Class>()); });
