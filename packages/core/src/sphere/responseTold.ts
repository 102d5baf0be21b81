/** Steps of a bracket from here on hardly tell the camera's response, stops; nor do few frames. Figures: `docs/accuracy.md`, "Steps of a bracket". */
export const WIDE_STEP_STOPS = 3.3;
export const RESPONSE_UNTOLD =
  "the frames hardly tell the camera's response, its usual curve is assumed: simulated rounds were 4 to 7 % off in light, with more frames and steps of up to 3 stops 1 to 2 %";
