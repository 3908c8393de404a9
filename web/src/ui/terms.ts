/** Words of the trade and of this program that not everybody has at hand; shown where they stand, and under `?`. */
export const TERMS = {
  baseline: 'The setup that the others are compared with. It is pulled first and again at the end.',
  'assuming effects add':
    'Two setups that differ in two things, and others that differ in one of them, show what each part brings if the effects of parts add.',
  best: 'How sure it is that this setup is the best of those that compete, by these pulls. Whether it would be so after fitting the parts anew is not counted.',
  confounded: 'Changed together in every setup, so that no pull can show which of them made the difference.',
  corrected: 'Torque and power as they would be in the air of the standard: observed, times the factor.',
  'density altitude': 'The height at which standard air is as thin as the air is now.',
  drift:
    'What the engine gains or loses from pull to pull on its own, by heat, wear or fuel. Returns to a setup show it.',
  'dynamic compression ratio':
    'The compression ratio counted from where the intake valve closes, not from the bottom of the stroke.',
  duty: 'How much of the time the engine spends at each speed in its use; the score weighs the curve with it.',
  'first pull after a change':
    'It reads high while the parts are cold, so it conditions the engine and is not compared.',
  inertia:
    'Part of the torque turns the engine and the brake faster during a sweep. Where the stand leaves it out, it is added.',
  'injector duty': 'How much of the time an injector stands open to give the fuel that is needed.',
  installed:
    'Peak power less what is allowed for what was not fitted on the stand, such as a water pump or a muffler.',
  lambda: 'Air in the mixture over the air that its fuel needs: 1.00 is just enough, below is rich.',
  'mean effective pressure': 'Torque over displacement, as a pressure: it compares engines of any size.',
  'not separated': 'Setups that share a bar: the pulls do not show a difference between them.',
  observed: 'As it was measured, in the air of the day.',
  repeatability:
    'By how much two single pulls of one unchanged setup differ at most, in 95 of 100 pairs (ISO 5725).',
  scatter: 'How much two pulls of one unchanged setup differ from chance alone.',
  score: 'The curve between the compared speeds as one number: its mean, weighed by the duty.',
  setup: 'The parts and settings that are pulled together and compared as one.',
  'start window': 'Between which temperatures a pull may begin, so that all begin alike.',
  sweep: 'A pull at wide open throttle from one speed to another, at so many rpm per second.',
  'specific output': 'Power over displacement.',
  undecided: 'The pulls neither show a difference that matters nor that there is none.',
  vacuum:
    'How far the pressure in the manifold is below the air outside. Much of it at wide open throttle means that the carburetor or throttle is small.',
  visit: 'The pulls of a setup between two changes of parts.',
} as const

export type Term = keyof typeof TERMS
