// What "±" means.

export const doubtTexts = {
  ask: 'What ± means',
  title: 'What ± means',
  lines: [
    'In 95 of 100 cases the truth lies no further from the figure than ± says.',
    'Most of it is the receiver: its positions wander slowly, by some decimetres up to two metres. How much and how fast is learnt from the run itself.',
    'Two laps of one run share much of that error, laps of two runs do not: within a run a smaller difference counts.',
    'What is within ± is level: nobody can say who was faster. The strips and the map stay paper there, and the pale width along the delta is its ±. A place in grey italics on the card is not known to differ from the reference’s.',
    'More laps in a run, positions more often and a wheel speed in the log make it smaller.',
  ],
};
