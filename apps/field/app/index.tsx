import { Redirect } from 'expo-router';
import { View } from 'react-native';
import { lastProduction } from '../data/lastProduction';
import { useProductions } from '../data/queries';
import { Waiting } from '../features/shell/Waiting';

/** To the production that this device had open last; to the only one; else to all of them. */
export default function Index() {
  const productions = useProductions();
  if (!productions.data)
    return (
      <View style={{ padding: 24 }}>
        <Waiting error={productions.error} what="the productions" />
      </View>
    );
  const last = productions.data.find((p) => p.code === lastProduction(localStorage));
  const open = last ?? (productions.data.length === 1 ? productions.data[0] : undefined);
  return <Redirect href={(open ? `/${open.code}/day` : '/productions') as never} />;
}
