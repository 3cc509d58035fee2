// Names of the standard vectors that both ends use; those of a device that goes to places stand beside it.
// EOD: coordinates of date.
#pragma once

namespace nordstjerna::wire {

inline constexpr const char* connection = "CONNECTION";
inline constexpr const char* driver = "DRIVER_INFO";

inline constexpr const char* coordinates = "EQUATORIAL_EOD_COORD"; // RA h, DEC °
inline constexpr const char* coordinateUse = "ON_COORD_SET";
inline constexpr const char* abortMotion = "TELESCOPE_ABORT_MOTION";
inline constexpr const char* trackState = "TELESCOPE_TRACK_STATE";
inline constexpr const char* trackMode = "TELESCOPE_TRACK_MODE";
inline constexpr const char* trackRate = "TELESCOPE_TRACK_RATE";         // ″/s
inline constexpr const char* pulseWestEast = "TELESCOPE_TIMED_GUIDE_WE"; // ms
inline constexpr const char* pulseNorthSouth = "TELESCOPE_TIMED_GUIDE_NS";
inline constexpr const char* pierSide = "TELESCOPE_PIER_SIDE";
inline constexpr const char* park = "TELESCOPE_PARK";
inline constexpr const char* guideRate = "GUIDE_RATE"; // fractions of the sidereal rate
inline constexpr const char* site = "GEOGRAPHIC_COORD";

inline constexpr const char* exposure = "CCD_EXPOSURE"; // s
inline constexpr const char* exposureValue = "CCD_EXPOSURE_VALUE";
inline constexpr const char* abortExposure = "CCD_ABORT_EXPOSURE";
inline constexpr const char* sensor = "CCD_INFO";
inline constexpr const char* part = "CCD_FRAME"; // unbinned pixels
inline constexpr const char* binning = "CCD_BINNING";
inline constexpr const char* frame = "CCD1"; // the BLOB

inline constexpr const char* temperature = "CCD_TEMPERATURE"; // °C of the sensor; set: the target
inline constexpr const char* temperatureValue = "CCD_TEMPERATURE_VALUE";
inline constexpr const char* cooler = "CCD_COOLER";
inline constexpr const char* coolerOn = "COOLER_ON";
inline constexpr const char* coolerOff = "COOLER_OFF";
inline constexpr const char* coolerPower = "CCD_COOLER_POWER"; // %
inline constexpr const char* coolerPowerValue = "CCD_COOLER_VALUE";

// Gain has a vector of its own, or is one of the controls.
inline constexpr const char* gain = "CCD_GAIN";
inline constexpr const char* gainValue = "GAIN";
inline constexpr const char* controls = "CCD_CONTROLS";
inline constexpr const char* controlsGain = "Gain";

// Bits of DRIVER_INTERFACE.
inline constexpr unsigned mountBit = 1U << 0, cameraBit = 1U << 1, guidePortBit = 1U << 2;

} // namespace nordstjerna::wire
