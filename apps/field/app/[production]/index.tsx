import { Redirect, useLocalSearchParams } from 'expo-router';

/** An address that ends with the production opens its day. */
export default function ProductionIndex() {
  const { production } = useLocalSearchParams<{ production: string }>();
  return <Redirect href={`/${production}/day` as never} />;
}
