#include "Bench.h"
class CarsTest : public QObject { Q_OBJECT };
QTEST_APPLESS_MAIN(CarsTest)
#include "CarsTest.moc"
