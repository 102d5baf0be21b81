export { NewTakeScreen as default } from '../../../features/log/NewTakeScreen';
