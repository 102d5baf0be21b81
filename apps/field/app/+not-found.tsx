import { Link } from 'expo-router';
import { View } from 'react-native';
import { Notice } from '../ui/Notice';
import { Text } from '../ui/Text';

export default function NotFound() {
  return (
    <View style={{ padding: 24 }}>
      <Notice
        state="doubtful"
        title="There is nothing at this address"
        detail="The link may be older than what it points to."
      >
        <Link href="/" style={{ minHeight: 44, paddingVertical: 12 }}>
          <Text tone="tawny" strong>
            To the first day
          </Text>
        </Link>
      </Notice>
    </View>
  );
}
