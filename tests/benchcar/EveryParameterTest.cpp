#include "Bench.h"
class EveryParameterTest : public QObject { Q_OBJECT };
QTEST_APPLESS_MAIN(EveryParameterTest)
#include "EveryParameterTest.moc"
