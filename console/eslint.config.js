import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import ts from 'typescript-eslint';

/** The rooms in the order of every layer; a page uses those before its own, and never the shell around it. */
const ROOMS = [
  'shared',
  'access',
  'tasks',
  'organisations',
  'catalogue',
  'subscriptions',
  'metering',
  'rating',
  'billing',
  'spend',
  'app',
];

const orders = ROOMS.map((room, index) => ({
  files: [`src/${room}/**`],
  ignores: ['**/*.test.*'],
  rules: {
    'no-restricted-imports': [
      'error',
      {
        patterns: ROOMS.slice(index + 1).map((later) => ({
          group: [`../${later}/*`],
          message: `${room} stands before ${later}; a room uses those before it only`,
        })),
      },
    ],
  },
}));

export default ts.config(
  { ignores: ['dist', 'src/shared/schema.d.ts'] },
  ...ts.configs.strict,
  a11y.flatConfigs.recommended,
  { plugins: { 'react-hooks': hooks }, rules: { ...hooks.configs.recommended.rules } },
  ...orders.slice(0, -1),
);
