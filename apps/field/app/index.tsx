import { Redirect } from 'expo-router';
import { View } from 'react-native';
import { useProductions } from '../data/queries';
import { Waiting } from '../features/shell/Waiting';
import { Notice } from '../ui/Notice';

export default function Index() {
  const productions = useProductions();
  if (productions.data?.[0]) return <Redirect href={`/${productions.data[0].code}/day`} />;
  return (
    <View style={{ padding: 24 }}>
      {productions.data ? (
        <Notice
          state="open"
          title="There is no production yet"
          detail="Start the server with npm run demo: it brings the demo production with it."
        />
      ) : (
        <Waiting error={productions.error} what="the productions" />
      )}
    </View>
  );
}
