export { DayScreen as default } from '../../features/day/DayScreen';
