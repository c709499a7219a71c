#include "Bench.h"
class FaultsTest : public QObject { Q_OBJECT };
QTEST_APPLESS_MAIN(FaultsTest)
#include "FaultsTest.moc"
