// How deep the focus is: the stretch along the optical axis in which a star is as sharp as it can be.
#pragma once

namespace nordstjerna {

// Whole depth by diffraction, µm: 4.88 λ N². At either end the cone of light is as wide as the Airy disc
// (2.44 λ N across; Born & Wolf, Principles of Optics, 8.5), for the cone opens by 1/N. Green light unless
// told.
double criticalZone_um(double focalRatio, double wavelength_um = 0.55);

// Half-flux diameter of a star so far out of focus that nothing else matters, for each µm: a disc evenly lit
// holds half of its light within 1/√2 of its diameter, and the cone opens by 1/N. A hole in the middle of the
// aperture (share of its diameter) moves the light outwards.
double coneHfd_um_um(double focalRatio, double obstruction = 0.0);

} // namespace nordstjerna
