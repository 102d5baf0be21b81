export { MeasureScreen as default } from '../../features/measure/MeasureScreen';
