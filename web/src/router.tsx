import { createBrowserRouter, Navigate } from 'react-router';
import { Frame } from './frame/Frame.tsx';
import { Home } from './frame/Home.tsx';
import { Failed, Lost, StageFailed } from './frame/Lost.tsx';

/**
 * Every state has an address: /m/MODEL/STAGE?sel=KIND:NAME. Stages are loaded when they are first opened.
 */
export const router = createBrowserRouter([
  { path: '/', element: <Home />, errorElement: <Failed /> },
  {
    path: '/m/:model',
    element: <Frame />,
    errorElement: <Failed />,
    children: [
      {
        // A stage that fails keeps the frame.
        errorElement: <StageFailed />,
        children: [
          { index: true, element: <Navigate to="stars" replace /> },
          {
            path: 'intake',
            lazy: async () => ({ Component: (await import('./stages/intake/IntakeStage.tsx')).IntakeStage }),
          },
          {
            path: 'claims',
            lazy: async () => ({ Component: (await import('./stages/ClaimsStage.tsx')).ClaimsStage }),
          },
          {
            path: 'shape',
            lazy: async () => ({ Component: (await import('./stages/shape/ShapeStage.tsx')).ShapeStage }),
          },
          {
            path: 'stars',
            lazy: async () => ({ Component: (await import('./stages/stars/StarsStage.tsx')).StarsStage }),
          },
          {
            path: 'hierarchies',
            lazy: async () => ({
              Component: (await import('./stages/hierarchies/HierarchiesStage.tsx')).HierarchiesStage,
            }),
          },
          {
            path: 'measures',
            lazy: async () => ({
              Component: (await import('./stages/measures/MeasuresStage.tsx')).MeasuresStage,
            }),
          },
          {
            path: 'perspectives',
            lazy: async () => ({
              Component: (await import('./stages/perspectives/PerspectivesStage.tsx')).PerspectivesStage,
            }),
          },
          {
            path: 'storage',
            lazy: async () => ({
              Component: (await import('./stages/storage/StorageStage.tsx')).StorageStage,
            }),
          },
          {
            path: 'trial',
            lazy: async () => ({ Component: (await import('./stages/trial/TrialStage.tsx')).TrialStage }),
          },
          {
            path: 'texts',
            lazy: async () => ({ Component: (await import('./stages/texts/TextsPage.tsx')).TextsPage }),
          },
          {
            path: 'release',
            lazy: async () => ({
              Component: (await import('./stages/release/ReleaseStage.tsx')).ReleaseStage,
            }),
          },
        ],
      },
    ],
  },
  {
    path: '/r/:model?',
    errorElement: <Failed />,
    lazy: async () => ({ Component: (await import('./reading-room/RoomHome.tsx')).RoomHome }),
  },
  {
    path: '/r/:model/:perspective',
    errorElement: <Failed />,
    lazy: async () => ({ Component: (await import('./reading-room/RoomPage.tsx')).RoomPage }),
  },
  {
    path: '/docs/:page?',
    errorElement: <Failed />,
    lazy: async () => ({ Component: (await import('./docs/DocsPage.tsx')).DocsPage }),
  },
  { path: '*', element: <Lost /> },
]);
