/** The trade's own increments. */
const thirds = (from: number, to: number) => Array.from({ length: to - from + 1 }, (_, i) => from + i);

export const EI = [
  100, 125, 160, 200, 250, 320, 400, 500, 640, 800, 1000, 1280, 1600, 2000, 2560, 3200, 4000, 5120, 6400,
];
export const T_STOPS = [
  1, 1.1, 1.3, 1.4, 1.6, 1.8, 2, 2.2, 2.5, 2.8, 3.2, 3.6, 4, 4.5, 5, 5.6, 6.3, 7.1, 8, 9, 10, 11, 12.7, 14, 16, 18, 20,
  22,
];
export const SHUTTER_ANGLES = [11.2, 22.5, 45, 72, 86.4, 90, 108, 120, 135, 144, 150, 172.8, 180, 216, 270, 360];
export const FPS = [12, 23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60, 72, 96, 100, 120];
export const WHITE_BALANCES = [
  2800, 3000, 3200, 3400, 3600, 4000, 4300, 4600, 5000, 5200, 5600, 6000, 6500, 7000, 8000, 10000,
];
/** ND in stops, 0.3 density each. */
export const ND = thirds(0, 17);
export const FOCAL_LENGTHS = [14, 16, 18, 21, 24, 25, 27, 28, 32, 35, 40, 50, 65, 70, 75, 85, 100, 135, 180];
