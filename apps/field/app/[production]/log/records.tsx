export { RecordsScreen as default } from '../../../features/records/RecordsScreen';
