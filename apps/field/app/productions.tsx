export { ProductionsScreen as default } from '../features/productions/ProductionsScreen';
